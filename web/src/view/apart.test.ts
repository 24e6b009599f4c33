import { expect, test } from "vitest";
import { apart, shifts } from "./apart";
import type { SurfaceArrays } from "./geometry";

/** Boxes given by their corners, as the triangles between them; a region for each. */
function boxed(list: [number[], number[]][]): SurfaceArrays {
  const points = list.flatMap(([low, high]) => [
    ...low,
    ...[high[0]!, low[1]!, low[2]!],
    ...[low[0]!, high[1]!, low[2]!],
    ...high,
  ]);
  const triangles = list.flatMap((_, k) => [0, 1, 2, 1, 3, 2].map((v) => v + 4 * k));
  return {
    points: Float32Array.from(points),
    triangles: Int32Array.from(triangles),
    region: Int32Array.from(list.flatMap((_, k) => [k, k])),
  };
}

const nested = boxed([
  [
    [0, 0, 0],
    [10, 8, 4],
  ],
  [
    [2, 2, 1],
    [8, 6, 3],
  ],
  [
    [4, 3, 1.5],
    [6, 5, 2.5],
  ],
]);
const zones = [[0], [1], [2]];

test("zones within each other come to lie one after the other where they are least deep", () => {
  const moved = shifts(nested, zones, 3);
  expect(moved.every(([x, y]) => x === 0 && y === 0)).toBe(true);
  const spans = [
    [0, 4],
    [1, 3],
    [1.5, 2.5],
  ].map(([a, b], k) => [a! + moved[k]![2]!, b! + moved[k]![2]!]);
  spans.sort((a, b) => a[0]! - b[0]!);
  expect(spans[1]![0]).toBeGreaterThan(spans[0]![1]!);
  expect(spans[2]![0]).toBeGreaterThan(spans[1]![1]!);
});

test("a face between two zones is drawn with both, one that bounds none with neither", () => {
  const out = apart(nested, [[0], [0, 1], []], 2);
  expect([...out.region].sort()).toEqual([0, 0, 1, 1, 1, 1]);
  expect(out.points.length).toBe(3 * 12);
  // zones share no points, so that each moves by itself
  const of = (t: number) => [...out.triangles.subarray(3 * t, 3 * t + 3)];
  const first = new Set([0, 1, 2, 3].flatMap(of));
  expect([4, 5].flatMap(of).some((v) => first.has(v))).toBe(false);
});

test("what is told of triangles goes with them", () => {
  const out = apart(
    { ...nested, cover: Float32Array.from([1, 2, 3, 4, 5, 6]) },
    [[1], [0], [1]],
    2,
  );
  expect([...out.cover!]).toEqual([3, 4, 1, 2, 5, 6]);
});
