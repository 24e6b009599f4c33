/** Heights of layers as the core lays them out: a first one that grows by a constant factor. */

export interface LayerRow {
  patches: string[];
  count: number;
  growth: number;
  first?: number;
  total?: number;
  last?: number;
}

export type Measure = "first" | "total" | "last";

export const MEASURES: [Measure, string][] = [
  ["last", "the last as high as"],
  ["first", "the first"],
  ["total", "all together"],
];

export const measureOf = (row: LayerRow): Measure =>
  MEASURES.find(([key]) => row[key] !== undefined)?.[0] ?? "last";

/** Height of all layers over that of the first. */
export const totalOverFirst = (growth: number, count: number): number =>
  Math.abs(growth - 1) < 1e-12 ? count : (growth ** count - 1) / (growth - 1);

/** First, all and last; of a row that goes by the wall's edge in lengths of that edge. */
export function heights(row: LayerRow): { first: number; total: number; last: number } | null {
  const { count, growth } = row;
  const whole = totalOverFirst(growth, count);
  const top = growth ** (count - 1);
  const key = measureOf(row);
  const value = row[key];
  if (!(count >= 1) || !(growth >= 1) || !(Number(value) > 0)) return null;
  const first = key === "first" ? value! : key === "total" ? value! / whole : value! / top;
  return { first, total: first * whole, last: first * top };
}

/** Where each layer ends, as shares of all, the wall first. */
export function ends(growth: number, count: number): number[] {
  const whole = totalOverFirst(growth, count);
  return Array.from({ length: count + 1 }, (_, k) => totalOverFirst(growth, k) / whole);
}
