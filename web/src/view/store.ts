/** The state of the view: selection, what is hidden, the slice, colouring, marks. */
import { create } from "zustand";

export type Axis = "x" | "y" | "z";
export type Side = "both" | "plane" | "behind";

export interface Mark {
  id: string;
  at: number[];
  text: string;
  tone: "ink" | "accent" | "caution" | "error" | "quiet";
  title?: string;
}

export interface CellRange {
  metric: string;
  low: number;
  high: number;
}

export interface Probe {
  at: number[];
  size: number;
}

/** What a click or drag in the model does: turn and select, draw a box, measure, place a pin. */
export type Tool = "turn" | "box" | "ruler" | "pin" | "swatch";

/** A piece of mesh in true size, left standing on the surface. */
export interface SwatchPlace {
  at: number[];
  normal: number[];
  size: number;
}

export interface Place {
  face: number;
  at: number[];
}

export interface Measured {
  at: number[][];
  distance?: number;
  along?: number[];
  between_faces?: number;
  angle?: number;
  radius?: number;
  diameter?: number;
  thickness?: number;
}

/** What the walls are coloured by where layers stand on them. */
export type Walls = "cover" | "first" | "yplus";

interface ViewState {
  tool: Tool;
  /** the pin that the next click places */
  pin: string | null;
  touched: Place[];
  measured: Measured | null;
  /** where the model was last clicked */
  place: Place | null;
  walls: Walls;
  swatches: SwatchPlace[];
  /** the geometry as it was read, instead of as repaired */
  before: boolean;
  seeThrough: boolean;
  selected: number[];
  hovered: number | null;
  hidden: number[];
  /**
   * share: where along the axis, 0 to 1; null is through the pin. flat: the cut itself instead of
   * the whole cells that it crosses; peel: the layers behind it, without the core.
   */
  slice: {
    on: boolean;
    axis: Axis;
    share: number | null;
    side: Side;
    flat: boolean;
    peel: boolean;
  };
  metric: string;
  range: CellRange | null;
  marks: Mark[];
  lines: boolean;
  setTool: (tool: Tool, pin?: string) => void;
  setPlace: (place: Place | null) => void;
  setWalls: (walls: Walls) => void;
  setTouched: (touched: Place[], measured: Measured | null) => void;
  setSwatches: (swatches: SwatchPlace[]) => void;
  setBefore: (before: boolean) => void;
  setSeeThrough: (on: boolean) => void;
  select: (region: number, add: boolean) => void;
  setSelected: (regions: number[]) => void;
  hover: (region: number | null) => void;
  setHidden: (regions: number[]) => void;
  setSlice: (change: Partial<ViewState["slice"]>) => void;
  setMetric: (metric: string) => void;
  setRange: (range: CellRange | null) => void;
  setMarks: (marks: Mark[]) => void;
  setLines: (lines: boolean) => void;
  reset: () => void;
}

export const START = {
  tool: "turn" as Tool,
  pin: null,
  touched: [],
  measured: null,
  place: null,
  walls: "cover" as Walls,
  swatches: [] as SwatchPlace[],
  before: false,
  seeThrough: true,
  selected: [],
  hovered: null,
  hidden: [],
  slice: {
    on: false,
    axis: "y" as Axis,
    share: null as number | null,
    side: "behind" as Side,
    flat: false,
    peel: false,
  },
  metric: "equiangle_skewness",
  range: null,
  marks: [],
  lines: true,
};

export const useViewStore = create<ViewState>((set) => ({
  ...START,
  setTool: (tool, pin) => set({ tool, pin: pin ?? null, touched: [], measured: null }),
  setPlace: (place) => set({ place }),
  setWalls: (walls) => set({ walls }),
  setTouched: (touched, measured) => set({ touched, measured }),
  setSwatches: (swatches) => set({ swatches }),
  setBefore: (before) => set({ before }),
  setSeeThrough: (seeThrough) => set({ seeThrough }),
  select: (region, add) =>
    set((s) => {
      if (!add) return { selected: [region] };
      const has = s.selected.includes(region);
      return { selected: has ? s.selected.filter((r) => r !== region) : [...s.selected, region] };
    }),
  setSelected: (selected) => set({ selected }),
  hover: (hovered) => set({ hovered }),
  setHidden: (hidden) => set({ hidden }),
  setSlice: (change) => set((s) => ({ slice: { ...s.slice, ...change } })),
  setMetric: (metric) => set({ metric, range: null }),
  setRange: (range) => set({ range }),
  setMarks: (marks) => set({ marks }),
  setLines: (lines) => set({ lines }),
  reset: () => set(START),
}));
