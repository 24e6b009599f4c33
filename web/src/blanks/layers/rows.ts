/** Rows of layers, and what may be given of one. */

export interface LayerRow {
  patches: string[];
  count: number;
  growth: number;
  first?: number;
  total?: number;
  last?: number;
  yplus?: number;
  /** what a wanted y+ follows from: m/s, the model's unit, m²/s */
  speed?: number;
  length?: number;
  viscosity?: number;
  along?: string;
  /** whether they grow in solids too */
  solids?: boolean;
}

export type Measure = "first" | "total" | "last" | "yplus";

export const MEASURES: [Measure, string][] = [
  ["last", "the last as high as"],
  ["first", "the first"],
  ["total", "all together"],
  ["yplus", "the first at y⁺"],
];

export const measureOf = (row: LayerRow): Measure =>
  MEASURES.find(([key]) => row[key] !== undefined)?.[0] ?? "last";
