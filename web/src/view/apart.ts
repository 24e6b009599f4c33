/** Zones drawn apart: a copy of the surface for each, moved along one axis until none overlap. */
import type { SurfaceArrays } from "./geometry";

/** Room between zones, as a share of what they are deep in the mean. */
const GAP = 0.2;

interface Box {
  low: number[];
  high: number[];
}

/** Box of each zone's triangles; a zone without any has none. zones: of each region, by number. */
function boxes(data: SurfaceArrays, zones: number[][], count: number): (Box | null)[] {
  const out: (Box | null)[] = Array.from({ length: count }, () => null);
  data.region.forEach((r, t) => {
    for (const zone of zones[r] ?? []) {
      out[zone] ??= {
        low: [Infinity, Infinity, Infinity],
        high: [-Infinity, -Infinity, -Infinity],
      };
      const box = out[zone]!;
      for (let i = 0; i < 3; i++) {
        const v = 3 * data.triangles[3 * t + i]!;
        for (let k = 0; k < 3; k++) {
          box.low[k] = Math.min(box.low[k]!, data.points[v + k]!);
          box.high[k] = Math.max(box.high[k]!, data.points[v + k]!);
        }
      }
    }
  });
  return out;
}

/**
 * How far each zone moves: one after the other along the axis in which they are least deep together,
 * in the order in which they lie.
 */
export function shifts(data: SurfaceArrays, zones: number[][], count: number): number[][] {
  const box = boxes(data, zones, count);
  const depth = (k: number) => box.reduce((sum, b) => sum + (b ? b.high[k]! - b.low[k]! : 0), 0);
  const axis = [0, 1, 2].reduce((a, b) => (depth(b) < depth(a) ? b : a));
  const held = box.flatMap((b, zone) => (b ? [{ ...b, zone }] : []));
  const middle = (b: Box) => b.low[axis]! + b.high[axis]!;
  held.sort((a, b) => middle(a) - middle(b) || a.zone - b.zone);
  const gap = (GAP * depth(axis)) / Math.max(1, held.length);
  const out = Array.from({ length: count }, () => [0, 0, 0]);
  let at = 0;
  for (const b of held) {
    out[b.zone]![axis] = at - b.low[axis]!;
    at += b.high[axis]! - b.low[axis]! + gap;
  }
  return out;
}

/** The surface with a copy of its triangles for each zone that they bound, moved. */
export function apart(data: SurfaceArrays, zones: number[][], count: number): SurfaceArrays {
  const moved = shifts(data, zones, count);
  const points: number[] = [];
  const triangles: number[] = [];
  const from: number[] = [];
  for (let zone = 0; zone < count; zone++) {
    const own = new Map<number, number>();
    data.region.forEach((r, t) => {
      if (!zones[r]?.includes(zone)) return;
      for (let i = 0; i < 3; i++) {
        const v = data.triangles[3 * t + i]!;
        let copy = own.get(v);
        if (copy === undefined) {
          copy = points.length / 3;
          own.set(v, copy);
          for (let k = 0; k < 3; k++) points.push(data.points[3 * v + k]! + moved[zone]![k]!);
        }
        triangles.push(copy);
      }
      from.push(t);
    });
  }
  const out: SurfaceArrays = {
    points: Float32Array.from(points),
    triangles: Int32Array.from(triangles),
    region: Int32Array.from(from, (t) => data.region[t]!),
  };
  if (data.sides) out.sides = Uint8Array.from(from, (t) => data.sides![t]!);
  if (data.cover) out.cover = Float32Array.from(from, (t) => data.cover![t]!);
  return out;
}
