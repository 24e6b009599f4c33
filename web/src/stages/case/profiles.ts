/** Profiles along a line: what is drawn of them, and solutions to lay over them. */

export interface Profile {
  distance: number[];
  velocity: (number | null)[][];
  speed: (number | null)[];
  pressure: (number | null)[];
  temperature: (number | null)[];
}

export type Quantity = "speed" | "u" | "v" | "w" | "pressure" | "temperature";

export const QUANTITIES: Record<Quantity, [string, string]> = {
  speed: ["speed", "m/s"],
  u: ["velocity along x", "m/s"],
  v: ["velocity along y", "m/s"],
  w: ["velocity along z", "m/s"],
  pressure: ["pressure", "Pa"],
  temperature: ["temperature", "°C"],
};

/** What can be drawn; temperatures where there are some. */
export function quantities(warm: boolean): [Quantity, [string, string]][] {
  const all = Object.entries(QUANTITIES) as [Quantity, [string, string]][];
  return all.filter(([key]) => warm || key !== "temperature");
}

export function valuesOf(profile: Profile, quantity: Quantity): (number | null)[] {
  if (quantity === "speed" || quantity === "pressure" || quantity === "temperature")
    return profile[quantity];
  return profile.velocity.map((row) => row["uvw".indexOf(quantity)] ?? null);
}

/**
 * The developed laminar flow across a gap, or through the middle of a round pipe, between the first
 * and last place that has a value: a parabola with the same mean along the line.
 */
export function parabola(distance: number[], values: (number | null)[]): (number | null)[] {
  const at = values.flatMap((v, k) => (v === null ? [] : [k]));
  if (at.length < 3) return values.map(() => null);
  const half = (distance[1]! - distance[0]!) / 2;
  const whole = values.length === at.length;
  // between two places one is within and one without: the wall is half way
  const from = distance[at[0]!]! - (whole ? 0 : half);
  const to = distance[at.at(-1)!]! + (whole ? 0 : half);
  const shape = (d: number) => (4 * (d - from) * (to - d)) / (to - from) ** 2;
  const inside = at.map((k) => [values[k]!, shape(distance[k]!)] as const);
  const scale = inside.reduce((s, [v]) => s + v, 0) / (inside.reduce((s, [, p]) => s + p, 0) || 1);
  return values.map((v, k) => (v === null ? null : scale * shape(distance[k]!)));
}

/** Rows of two numbers, a distance and a value, of a dropped file. Throws where there are none. */
export function readSolution(text: string): [number, number][] {
  const rows = text
    .split(/\r?\n/)
    .map((line) => line.split(/[,;\t ]+/).map(Number))
    .filter((row) => row.length >= 2 && row.slice(0, 2).every(Number.isFinite))
    .map(([d, v]) => [d!, v!] as [number, number]);
  if (rows.length < 2)
    throw new Error("It needs rows of two numbers: a distance along the line, and a value.");
  return rows;
}
