/** The state of the view: selection, what is hidden, the slice, colouring, marks. */
import { create } from "zustand";

import { AXES, type CutPlane, placed, type Space, shareThrough } from "./planes";

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

/** One cell and so many rings of cells around it, alone. */
export interface Focus {
  cell: number;
  rings: number;
  /** what is told of it */
  metric: string;
  value: number;
  words: string;
}

/** Heights of the bars of a histogram. */
export type Heights = "root" | "log" | "even";

/**
 * What a click or drag in the model does: turn and select, draw a box, measure, place a pin, lead the
 * cutting plane through a place.
 */
export type Tool = "turn" | "box" | "ruler" | "pin" | "swatch" | "cut";

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

export interface ViewState {
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
  /** zones are drawn apart from each other */
  apart: boolean;
  selected: number[];
  hovered: number | null;
  hidden: number[];
  /**
   * planes: up to three, of which `active` is the one at hand, and cuts the surface open. flat: the
   * cut itself instead of the whole cells that it crosses; peel: the layers behind it, without the
   * core.
   */
  slice: {
    on: boolean;
    planes: CutPlane[];
    active: number;
    side: Side;
    flat: boolean;
    peel: boolean;
  };
  /** what cells are coloured by: a metric, or zone, shape, layer */
  metric: string;
  /** a field of the flow that they are coloured by instead */
  field: string | null;
  range: CellRange | null;
  focus: Focus | null;
  /** the surface mesh is coloured by the metric */
  painted: boolean;
  bars: number;
  heights: Heights;
  marks: Mark[];
  lines: boolean;
  setTool: (tool: Tool, pin?: string) => void;
  setPlace: (place: Place | null) => void;
  setWalls: (walls: Walls) => void;
  setTouched: (touched: Place[], measured: Measured | null) => void;
  setSwatches: (swatches: SwatchPlace[]) => void;
  setBefore: (before: boolean) => void;
  setSeeThrough: (on: boolean) => void;
  setApart: (on: boolean) => void;
  select: (region: number, add: boolean) => void;
  setSelected: (regions: number[]) => void;
  hover: (region: number | null) => void;
  setHidden: (regions: number[]) => void;
  setSlice: (change: Partial<ViewState["slice"]>) => void;
  setMetric: (metric: string) => void;
  setField: (field: string | null) => void;
  /** change the plane at hand, and show it */
  setPlane: (change: Partial<CutPlane>) => void;
  /** lead the plane at hand through a place, and go back to turning */
  cutThrough: (at: number[], space: Space | null) => void;
  /** move the plane at hand by a length along its normal */
  step: (by: number, space: Space | null) => void;
  setRange: (range: CellRange | null) => void;
  setFocus: (focus: Focus | null) => void;
  setPainted: (painted: boolean) => void;
  setBars: (bars: number, heights: Heights) => void;
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
  apart: false,
  selected: [],
  hovered: null,
  hidden: [],
  slice: {
    on: false,
    planes: [{ normal: AXES.y, share: null }] as CutPlane[],
    active: 0,
    side: "behind" as Side,
    flat: false,
    peel: false,
  },
  metric: "equiangle_skewness",
  field: null as string | null,
  range: null,
  focus: null,
  painted: false,
  bars: 24,
  heights: "root" as Heights,
  marks: [],
  lines: true,
};

export const useViewStore = create<ViewState>((set, get) => ({
  ...START,
  setTool: (tool, pin) =>
    set({
      ...(tool !== "turn" && tool !== "box" && { apart: false }),
      tool,
      pin: pin ?? null,
      touched: [],
      measured: null,
    }),
  setPlace: (place) => set({ place }),
  setWalls: (walls) => set({ walls }),
  setTouched: (touched, measured) => set({ touched, measured }),
  setSwatches: (swatches) => set({ swatches }),
  setBefore: (before) => set({ before }),
  setSeeThrough: (seeThrough) => set({ seeThrough }),
  // what is apart cannot be measured or cut
  setApart: (apart) =>
    set((s) =>
      apart
        ? {
            apart,
            tool: "turn",
            slice: { ...s.slice, on: false },
            range: null,
            focus: null,
            painted: false,
          }
        : { apart },
    ),
  select: (region, add) =>
    set((s) => {
      if (!add) return { selected: [region] };
      const has = s.selected.includes(region);
      return { selected: has ? s.selected.filter((r) => r !== region) : [...s.selected, region] };
    }),
  setSelected: (selected) => set({ selected }),
  hover: (hovered) => set({ hovered }),
  setHidden: (hidden) => set({ hidden }),
  setSlice: (change) =>
    set((s) => ({ ...(change.on && { apart: false }), slice: { ...s.slice, ...change } })),
  setPlane: (change) =>
    set((s) => ({
      range: null,
      focus: null,
      apart: false,
      slice: {
        ...s.slice,
        on: true,
        planes: s.slice.planes.map((p, k) => (k === s.slice.active ? { ...p, ...change } : p)),
      },
    })),
  cutThrough: (at, space) => {
    const { slice, setPlane } = get();
    const own = slice.planes[slice.active];
    if (own && space) setPlane({ share: shareThrough(own.normal, at, space) });
    set({ tool: "turn" });
  },
  step: (by, space) => {
    const { slice, setPlane } = get();
    const own = slice.planes[slice.active];
    if (!own || !space || !slice.on) return;
    const { share, from, to } = placed(own, space);
    setPlane({ share: Math.min(1, Math.max(0, share + by / (to - from || 1))) });
  },
  setMetric: (metric) => set({ metric, field: null, range: null }),
  setField: (field) => set({ field, range: null, focus: null }),
  // cells are drawn where they are, not apart
  setRange: (range) => set({ range, focus: null, ...(range && { apart: false }) }),
  setFocus: (focus) => set({ focus, ...(focus && { apart: false }) }),
  setPainted: (painted) => set({ painted, ...(painted && { apart: false }) }),
  setBars: (bars, heights) => set({ bars, heights }),
  setMarks: (marks) => set({ marks }),
  setLines: (lines) => set({ lines }),
  reset: () => set(START),
}));
