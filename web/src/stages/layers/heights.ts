/** Heights of layers as the core lays them out: a first one that grows by a constant factor. */

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
  along?: "plate" | "pipe";
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

/** Height of all layers over that of the first. */
export const totalOverFirst = (growth: number, count: number): number =>
  Math.abs(growth - 1) < 1e-12 ? count : (growth ** count - 1) / (growth - 1);

export interface WallFlow {
  reynolds: number;
  friction: number;
  shearSpeed: number;
  /** of the first layer, in metres */
  height: number;
  /** of the boundary layer, in metres */
  thickness: number;
}

/** The flow at the wall that a row goes by, as the core has it in layers/yplus; mm: of the unit. */
export function wallFlow(row: LayerRow, mm: number): WallFlow | null {
  const { yplus, speed, viscosity, along } = row;
  const length = ((row.length ?? 0) * mm) / 1000;
  if (!(Number(yplus) > 0 && Number(speed) > 0 && length > 0 && Number(viscosity) > 0)) return null;
  const reynolds = (speed! * length) / viscosity!;
  const friction = along === "pipe" ? 0.316 / reynolds ** 0.25 / 4 : 0.027 / reynolds ** (1 / 7);
  const thickness = along === "pipe" ? length / 2 : (0.16 * length) / reynolds ** (1 / 7);
  const shearSpeed = speed! * Math.sqrt(friction / 2);
  return {
    reynolds,
    friction,
    shearSpeed,
    height: (2 * yplus! * viscosity!) / shearSpeed,
    thickness,
  };
}

/** First, all and last; of a row that goes by the wall's edge in lengths of that edge. */
export function heights(
  row: LayerRow,
  mm = 1,
): { first: number; total: number; last: number } | null {
  const { count, growth } = row;
  const whole = totalOverFirst(growth, count);
  const top = growth ** (count - 1);
  const key = measureOf(row);
  const value = key === "yplus" ? ((wallFlow(row, mm)?.height ?? 0) * 1000) / mm : row[key];
  if (!(count >= 1) || !(growth >= 1) || !(Number(value) > 0)) return null;
  const first = key === "total" ? value! / whole : key === "last" ? value! / top : value!;
  return { first, total: first * whole, last: first * top };
}

/** Where each layer ends, as shares of all, the wall first. */
export function ends(growth: number, count: number): number[] {
  const whole = totalOverFirst(growth, count);
  return Array.from({ length: count + 1 }, (_, k) => totalOverFirst(growth, k) / whole);
}

/** The growth at which layers from `first` on reach `total`, null where none from 1 to 3 does. */
export function growthTo(first: number, total: number, count: number): number | null {
  const reached = (growth: number) => first * totalOverFirst(growth, count);
  if (!(first > 0) || !(count >= 1) || reached(1) > total * (1 + 1e-9) || reached(3) < total)
    return null;
  let [low, high] = [1, 3];
  for (let k = 0; k < 60; k++) {
    const middle = (low + high) / 2;
    if (reached(middle) > total) high = middle;
    else low = middle;
  }
  return (low + high) / 2;
}
