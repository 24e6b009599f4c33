/** A coarse likeness of a surface, drawn while one turns it where drawing the whole would lag. */
import type { SurfaceArrays } from "./geometry";

/** A surface of fewer triangles is drawn as fast as its likeness would be. */
export const LIKENESS = 30_000;

function area(data: SurfaceArrays): number {
  const { points, triangles } = data;
  let sum = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [3 * triangles[t]!, 3 * triangles[t + 1]!, 3 * triangles[t + 2]!];
    const ux = points[b]! - points[a]!;
    const uy = points[b + 1]! - points[a + 1]!;
    const uz = points[b + 2]! - points[a + 2]!;
    const vx = points[c]! - points[a]!;
    const vy = points[c + 1]! - points[a + 1]!;
    const vz = points[c + 2]! - points[a + 2]!;
    sum += 0.5 * Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
  }
  return sum;
}

/**
 * The surface with its points gathered by cubes, one point of the surface for each, and the
 * triangles that are left (vertex clustering: Rossignac and Borrel, 1993). About so many triangles.
 */
export function coarsened(data: SurfaceArrays, wanted = LIKENESS): SurfaceArrays {
  const { points, triangles, region } = data;
  const side = Math.sqrt((2 * area(data)) / wanted) || 1;
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) {
    low[i % 3] = Math.min(low[i % 3]!, points[i]!);
    high[i % 3] = Math.max(high[i % 3]!, points[i]!);
  }
  const wide = Math.floor((high[0]! - low[0]!) / side) + 1;
  const deep = Math.floor((high[1]! - low[1]!) / side) + 1;
  const first = new Map<number, number>();
  const stands = new Int32Array(points.length / 3);
  for (let v = 0; v < stands.length; v++) {
    const [x, y, z] = [0, 1, 2].map((k) => Math.floor((points[3 * v + k]! - low[k]!) / side));
    const cube = x! + wide * (y! + deep * z!);
    const held = first.get(cube);
    if (held === undefined) first.set(cube, v);
    stands[v] = held ?? v;
  }
  const kept: number[] = [];
  const corners: number[] = [];
  for (let t = 0; t < region.length; t++) {
    const a = stands[triangles[3 * t]!]!;
    const b = stands[triangles[3 * t + 1]!]!;
    const c = stands[triangles[3 * t + 2]!]!;
    if (a === b || b === c || c === a) continue;
    kept.push(t);
    corners.push(a, b, c);
  }
  const out: SurfaceArrays = {
    points,
    triangles: Int32Array.from(corners),
    region: Int32Array.from(kept, (t) => region[t]!),
  };
  if (data.cover) out.cover = Float32Array.from(kept, (t) => data.cover![t]!);
  return out;
}

/** Two frames in a row that took longer than this, in ms, are felt while the view moves. */
const FELT = 70;
/** Frames of a view at rest tell too, but the page may have been at other work meanwhile. */
const SLOW = 300;

/** Whether turning lags: told how long frames took. */
export class Pace {
  private slow = 0;

  /** ms from drawing a frame until the next could be drawn. */
  took(ms: number, moving: boolean) {
    if (this.slow < 2) this.slow = ms > (moving ? FELT : SLOW) ? this.slow + 1 : 0;
  }

  get lags(): boolean {
    return this.slow >= 2;
  }

  reset() {
    this.slow = 0;
  }
}
