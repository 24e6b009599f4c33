/** What walls with layers are coloured by, as the surface's shader takes it. */
import type { Walls } from "./store";

const NONE = 1;

/**
 * A value for each triangle: its cover, or, by height, 10 and more by the share of the ramp; where
 * none are asked for or none stand the cover tells it. The lowest is the darkest, as most of a wall
 * has what is asked for. low, high: the ends of the ramp.
 */
export function wallValues(
  cover: Uint8Array,
  first: Float32Array | undefined,
  by: Walls,
): { values: Float32Array; low: number; high: number } {
  const values = Float32Array.from(cover);
  if (by === "cover" || !first) return { values, low: 0, high: 0 };
  let low = Number.POSITIVE_INFINITY;
  let high = 0;
  cover.forEach((c, t) => {
    if (c <= NONE) return;
    low = Math.min(low, first[t]!);
    high = Math.max(high, first[t]!);
  });
  const span = high - low;
  cover.forEach((c, t) => {
    // heights that are all the same lie in the middle
    if (c > NONE) values[t] = 10 + (span > 1e-6 * high ? (high - first[t]!) / span : 0.5);
  });
  return { values, low, high };
}
