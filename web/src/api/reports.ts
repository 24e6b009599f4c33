/** What the reports of the stages hold, as far as the page reads them. */

export interface Finding {
  code: string;
  level: "error" | "caution" | "note";
  message: string;
  count: number;
  places: number[][];
  advice: string;
  size?: number;
  measure?: string;
  cause?: string;
  faces?: string[];
  repairs?: { label: string; operation: Operation }[];
  histogram?: { edges: number[]; count: number[] } | null;
}

/** One entry of the list of repairs: what to do, whether it is on, and its settings. */
export interface Operation {
  do: string;
  on?: boolean;
  [name: string]: unknown;
}

export interface LogRow {
  do: string;
  on: boolean;
  done: string;
  count: number;
  volume_change: number;
  area_change: number;
  actions: { do: string; title: string; done: string; volume_change: number }[];
  problem: string | null;
  places: number[][];
}

export interface Feature {
  kind: string;
  faces: string[];
  size: number;
  centre: number[];
}

export interface Pin {
  name: string;
  at: number[];
  kind: "fluid" | "dry";
}

export interface ModelNames {
  kind: "cad" | "facets";
  unit: string;
}

export interface Opening {
  name: string;
  face: number;
  centre: number[];
  normal: number[];
  area: number;
  diameter: number;
}

export interface Face {
  id: string;
  surface: string;
  area: number;
  centre: number[];
  at: number[];
  normal: number[];
  radius: number;
  name: string;
  colour: string;
  opening?: boolean;
  role?: string;
  zones?: number[];
}

export interface GeometryReport {
  file: string;
  unit: string;
  size: number[];
  low: number[];
  high: number[];
  volume: number;
  area: number;
  model: ModelNames;
  unit_known: boolean;
  closed: boolean;
  triangles: number | null;
  bodies: { name: string; volume: number; area: number; faces: number[]; solid: boolean }[];
  faces: Face[];
  openings: Opening[];
  spaces: { openings: string[]; volume: number; pin: number[] }[];
  features: Feature[];
  log: LogRow[];
  findings: Finding[];
}

export interface DomainReport {
  unit: string;
  size: number[];
  low: number[];
  high: number[];
  volume: number;
  area: number;
  model: ModelNames;
  pin: number[];
  zones: { name: string; kind: string; volume: number }[];
  links: [number, number, number][];
  faces: Face[];
  findings: Finding[];
}

export interface PatchRow {
  name: string;
  kind: string;
  faces: string[];
  area: number;
}

export interface Spread {
  min: number;
  max: number;
  mean: number;
}

export interface Histogram {
  edges: number[];
  count: number[];
}

export interface SurfaceReport {
  triangles: number;
  points: number;
  volume: number;
  volume_error: number;
  quality: Record<string, Spread>;
  findings: Finding[];
}

export interface VolumeReport {
  cells: number;
  /** not in products of version 0.3 */
  cells_by_shape?: Record<string, number>;
  points: number;
  volume: number;
  quality: Record<string, Spread>;
  histograms: Record<string, Histogram>;
  splits: number;
  swaps: number;
  findings: Finding[];
}

export interface SizingReport {
  edge: Spread;
  forecast: { triangles: number; cells: number; memory: number; seconds: number };
  /** where the ends of counted edges will stand */
  counted: number[][];
  findings: Finding[];
}

export interface CaseReport {
  cells: number;
  inlets: { name: string; area: number; hydraulic_diameter: number; reynolds: number }[];
  patches: { name: string; kind: string; faces: number; area: number; perimeter: number }[];
  valid: boolean;
  files: Record<string, number>;
  findings: Finding[];
}

export interface PatchSetting {
  name: string;
  kind: string;
  faces: string[] | "rest";
}

export interface StageState {
  stage: string;
  condition: "current" | "outdated" | "none";
  settings: Record<string, unknown> | null;
  default: Record<string, unknown> | null;
  reasons: Record<string, string>;
  changed: string[];
  error: { code: string; message: string; blank: string | null; places: number[][] } | null;
  report: Record<string, unknown> | null;
  product: string | null;
}

export interface Variant {
  id: number;
  name: string;
  study: number;
  unit: string | null;
  can_undo: boolean;
  can_redo: boolean;
  stages: StageState[];
}
