/** A bench for tests of components: a variant with results at every stage, and no server. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactElement } from "react";
import type { Lists, StageDescription } from "../api/client";
import type { StageState, Variant } from "../api/reports";
import { type BenchContext, Context } from "../study/context";

const metric = (key: string, label: string, unit: string, large_is_bad: boolean) => ({
  key,
  label,
  unit,
  large_is_bad,
  of: "cell",
  meaning: `what ${label} means`,
  ratio: false,
  judged: true,
});

export const LISTS: Lists = {
  metrics: [
    metric("equiangle_skewness", "Equiangle skewness", "", true),
    metric("smallest_dihedral", "Smallest dihedral angle", "°", false),
    { ...metric("volume", "Volume", "unit³", false), ratio: true, judged: false },
  ],
  surface_metrics: [
    metric("smallest_angle", "Smallest angle", "°", false),
    metric("largest_angle", "Largest angle", "°", true),
    metric("edge_ratio", "Edge over wanted edge", "", true),
  ],
  units: [
    { key: "mm", mm: 1 },
    { key: "m", mm: 1000 },
  ],
  patch_kinds: [
    { key: "inlet", label: "inlet" },
    { key: "outlet", label: "outlet" },
    { key: "wall", label: "wall" },
    { key: "far_field", label: "far field" },
  ],
  zone_kinds: ["fluid", "solid"],
  cell_shapes: [
    { key: "polyhedron", label: "polyhedra" },
    { key: "tetrahedron", label: "tetrahedra" },
    { key: "prism", label: "prisms" },
  ],
  clusterings: [
    { key: "uniform", label: "evenly" },
    { key: "both", label: "closer at both ends" },
  ],
  region_shapes: [],
  read: [".step"],
  written: { cad: [".step", ".brep"], facets: [".stl", ".obj"], mesh: [".cgns"] },
};

export const STAGES = [
  "geometry",
  "domain",
  "patches",
  "sizing",
  "surface",
  "layers",
  "volume",
  "case",
];

const FACES = ["inlet", "outlet", "skin"].map((id, k) => ({
  id,
  surface: k < 2 ? "plane" : "cylinder",
  area: 100 + k,
  centre: [0, 0, k],
  at: [0, 0, k],
  normal: [0, 0, 1],
  radius: 0,
  name: "",
  colour: "",
  role: k < 2 ? "opening" : "",
  zones: [0],
}));

const SPREAD = { min: 0.1, max: 0.6, mean: 0.3 };

export const REPORTS: Record<string, Record<string, unknown>> = {
  geometry: {
    file: "pipe.step",
    unit: "mm",
    size: [60, 20, 20],
    low: [0, -10, -10],
    high: [60, 10, 10],
    volume: 9000,
    area: 6000,
    model: { kind: "cad", unit: "mm" },
    unit_known: true,
    closed: true,
    triangles: null,
    bodies: [{ name: "pipe", volume: 9000, area: 6000, faces: [0, 1, 2], solid: true }],
    faces: FACES,
    openings: [
      { name: "opening_1", face: 0, centre: [0, 0, 0], normal: [1, 0, 0], area: 154, diameter: 14 },
    ],
    spaces: [{ openings: ["opening_1"], volume: 9200, pin: [1, 0, 0] }],
    features: [],
    log: [],
    findings: [],
  },
  domain: {
    unit: "mm",
    size: [60, 14, 14],
    low: [0, -7, -7],
    high: [60, 7, 7],
    volume: 9236,
    area: 2947,
    model: { kind: "cad", unit: "mm" },
    pin: [30, 0, 0],
    zones: [{ name: "fluid", kind: "fluid", volume: 9236 }],
    links: [],
    faces: FACES,
    findings: [],
  },
  patches: {
    patches: [
      { name: "inflow", kind: "inlet", faces: ["inlet"], area: 100 },
      { name: "outflow", kind: "outlet", faces: ["outlet"], area: 101 },
      { name: "wall", kind: "wall", faces: ["skin"], area: 102 },
    ],
    findings: [],
  },
  sizing: {
    edge: SPREAD,
    forecast: { triangles: 2400, cells: 21000, memory: 4e8, seconds: 3 },
    counted: [],
    seams: [],
    findings: [],
  },
  surface: {
    triangles: 2412,
    points: 1208,
    volume: 9200,
    volume_error: -0.004,
    quality: { smallest_angle: SPREAD, largest_angle: SPREAD, edge_ratio: SPREAD },
    histograms: { smallest_angle: { edges: [20, 40, 60], count: [12, 2400] } },
    findings: [],
  },
  layers: {
    unit: "mm",
    cells: 234,
    patches: [
      {
        name: "wall",
        area: 102,
        full: 0.9,
        some: 0.08,
        none: 0.02,
        lowered: 0.09,
        count: 5,
        growth: 1.2,
        first: 0.1,
        total: 0.744,
        last: 0.207,
        edge: 0.41,
      },
    ],
    findings: [],
  },
  volume: {
    cells: 1234,
    points: 400,
    cells_by_shape: { prism: 234, tetrahedron: 1000 },
    volume: 9200,
    zones: { fluid: { kind: "fluid", cells: 1234, volume: 9200 } },
    quality: {
      equiangle_skewness: SPREAD,
      smallest_dihedral: { min: 24, max: 70, mean: 52 },
      volume: { min: 1, max: 9, mean: 4 },
    },
    histograms: {
      equiangle_skewness: { edges: [0.1, 0.3, 0.6], count: [1000, 234] },
      smallest_dihedral: { edges: [24, 40, 70], count: [4, 1230] },
      volume: { edges: [1, 4, 9], count: [0, 1234] },
    },
    splits: 0,
    swaps: 0,
    findings: [],
  },
  case: {
    cells: 1234,
    inlets: [
      {
        name: "inflow",
        area: 1e-4,
        hydraulic_diameter: 0.014,
        reynolds: 13900,
        mach: 0.0007,
        speed: 1,
        volume_flow: 1e-4,
        mass_flow: 0.0998,
        intensity: 0.048,
        eddies: 0.001,
      },
    ],
    materials: [
      {
        name: "fluid",
        material: "sea_water",
        density: 1024.9,
        viscosity: 1.077e-3,
        heat_capacity: 3999,
        conductivity: 0.602,
      },
    ],
    yplus: { wall: 16 },
    ready: true,
    patches: [],
    valid: true,
    files: { "patches/wall.stl": 900, "mesh.cgns": 90000, "case.yaml": 400 },
    findings: [],
  },
};

const SETTINGS: Record<string, Record<string, unknown>> = {
  geometry: { unit: "file", angle: 40, repairs: [] },
  domain: {
    where: "inside",
    closed: ["opening_1"],
    pin: [{ name: "fluid", at: [30, 0, 0], kind: "fluid" }],
  },
  patches: { patches: [] },
  sizing: { smallest: 1, largest: 2, walk_over: 5, sizes: [], regions: [] },
  surface: { passes: 9 },
  layers: { layers: [{ patches: ["*"], count: 5, growth: 1.2, last: 0.5 }], lowest: 0.4 },
  volume: { passes: 12, target: 25 },
  case: {
    materials: [{ zones: ["fluid"], is: "sea_water", temperature: 20 }],
    conditions: [{ patches: ["inflow"], is: "speed", speed: 1 }],
  },
};

/** What the stages give, as the core says. */
export const GIVES: Record<string, string[]> = {
  geometry: ["model"],
  domain: ["model", "fluid"],
  sizing: ["sizes"],
  surface: ["surface"],
  volume: ["mesh"],
};

export function stateWith(stage: string, change: Partial<StageState> = {}): StageState {
  return {
    stage,
    gives: GIVES[stage] ?? [],
    condition: "current",
    settings: SETTINGS[stage] ?? {},
    default: SETTINGS[stage] ?? {},
    reasons: {},
    changed: [],
    error: null,
    report: REPORTS[stage] ?? null,
    product: `${stage}-0123456789abcdef`,
    ...change,
  };
}

export function variantWith(changes: Record<string, Partial<StageState>> = {}): Variant {
  return {
    id: 5,
    name: "first",
    study: 2,
    version: 7,
    unit: "mm",
    can_undo: false,
    can_redo: false,
    stages: STAGES.map((stage) => stateWith(stage, changes[stage])),
  };
}

/** Nothing run yet: no report and no product at any stage. */
export const EMPTY = Object.fromEntries(
  STAGES.map((s) => [s, { report: null, product: null, condition: "none" as const }]),
);

export function benchWith(change: Partial<BenchContext> = {}): BenchContext {
  return {
    variant: variantWith(),
    stages: STAGES.map(
      (key) =>
        ({
          key,
          title: key,
          sentences: [],
          action: "Run",
          needs: [],
          gives: GIVES[key] ?? [],
          blanks: [],
        }) as StageDescription,
    ),
    lists: LISTS,
    stage: "geometry",
    job: undefined,
    lastJob: undefined,
    unit: "mm",
    run: () => {},
    openStage: () => {},
    show: () => {},
    ...change,
  };
}

/** Render within a bench; `again` renders another thing or bench in its place. */
export function onBench(thing: ReactElement, bench: BenchContext = benchWith()) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const wrap = (inner: ReactElement, held: BenchContext) => (
    <QueryClientProvider client={client}>
      <Context.Provider value={held}>{inner}</Context.Provider>
    </QueryClientProvider>
  );
  const made = render(wrap(thing, bench));
  return {
    ...made,
    client,
    again: (inner: ReactElement, held: BenchContext) => made.rerender(wrap(inner, held)),
  };
}
