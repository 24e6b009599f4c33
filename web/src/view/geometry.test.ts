import { describe, expect, it } from "vitest";
import {
  cellGeometry,
  longestStretch,
  pairKey,
  regionBounds,
  regionLines,
  surfaceGeometry,
} from "./geometry";

/** A unit cube: six regions of two triangles, outward. */
function cube() {
  const points = new Float32Array(24);
  for (let k = 0; k < 8; k++) points.set([k & 1, (k >> 1) & 1, (k >> 2) & 1], 3 * k);
  const triangles = new Int32Array([
    0, 2, 1, 1, 2, 3, 4, 5, 6, 5, 7, 6, 0, 1, 4, 1, 5, 4, 2, 6, 3, 3, 6, 7, 0, 4, 2, 2, 4, 6, 1, 3,
    5, 3, 7, 5,
  ]);
  const region = new Int32Array(12).map((_, t) => Math.floor(t / 2));
  return { points, triangles, region };
}

describe("surfaces for drawing", () => {
  it("gives each triangle corners, flat normals and its region", () => {
    const g = surfaceGeometry(cube(), false);
    expect(g.getAttribute("position").count).toBe(36);
    const normal = g.getAttribute("normal");
    expect([normal.getX(0), normal.getY(0), normal.getZ(0)]).toEqual([-0, 0, -1].map((x) => x + 0));
    expect(g.getAttribute("region").getX(35)).toBe(5);
  });
  it("gives the corners of a triangle what layers stand on it, none where nothing is told", () => {
    const cover = new Uint8Array(12).map((_, t) => t % 5);
    const told = surfaceGeometry({ ...cube(), cover }, false).getAttribute("cover");
    expect([0, 2, 3, 5, 14, 35].map((k) => told.getX(k))).toEqual([0, 0, 1, 1, 4, 1]);
    const bare = surfaceGeometry(cube(), false).getAttribute("cover");
    expect(bare.count).toBe(36);
    expect(Math.max(...(bare.array as Float32Array))).toBe(0);
  });
  it("averages normals within a region only", () => {
    const g = surfaceGeometry(cube(), true);
    const normal = g.getAttribute("normal");
    for (let i = 0; i < 36; i++) {
      const n = [normal.getX(i), normal.getY(i), normal.getZ(i)];
      // faces of a cube are flat: their averaged normals are the axes
      expect(Math.max(...n.map(Math.abs))).toBeCloseTo(1);
    }
  });
  it("draws the twelve edges between regions, not the diagonals", () => {
    expect(regionLines(cube()).lines.length / 6).toBe(12);
  });
  it("tells edges that are walked over from the others", () => {
    const { lines, seams } = regionLines(cube(), (a, b) => pairKey(a, b) === pairKey(5, 0));
    expect([lines.length / 6, seams.length / 6]).toEqual([11, 1]);
  });
  it("bounds the points", () => {
    const box = regionBounds(cube());
    expect(box.min.toArray()).toEqual([0, 0, 0]);
    expect(box.max.toArray()).toEqual([1, 1, 1]);
  });
  it("gives each face of a cell its value", () => {
    const { points, triangles } = cube();
    const value = new Float32Array(12).map((_, t) => t);
    const g = cellGeometry({ points, triangles, value });
    expect(g.getAttribute("value").getX(3)).toBe(1);
    expect(g.getAttribute("value").getX(35)).toBe(11);
    expect(g.hasAttribute("region")).toBe(false);
  });
});

describe("edges of cells", () => {
  it("are drawn, diagonals of their faces are not", () => {
    const { points, triangles, region } = cube();
    // both triangles of a quadrilateral hide the side that they share
    const sides = new Uint8Array(12).map((_, t) => (t === 0 ? 0b101 : 0b111));
    const bary = surfaceGeometry({ points, triangles, region, sides }, false).getAttribute("bary");
    const near = (t: number, k: number) =>
      Math.min(...[0, 1, 2].map((corner) => bary.getComponent(3 * t + corner, k)));
    // the hidden side runs from corner 1 to corner 2, where the first part is nought
    expect(near(0, 0)).toBe(1);
    expect([near(0, 1), near(0, 2), near(1, 0)]).toEqual([0, 0, 0]);
  });
});

describe("stretches along a ray", () => {
  it("are inside a fluid, or in the space of a part", () => {
    // in at 1, out at 3, in at 10, out at 11
    expect(longestStretch([1, 3, 10, 11], true)).toBe(2);
    expect(longestStretch([1, 3, 10, 11], false)).toBe(6.5);
    // a crossing on an edge counts once
    expect(longestStretch([1, 1, 3], true)).toBe(2);
    expect(longestStretch([4, 6], false)).toBe(5);
    expect(longestStretch([], true)).toBeNull();
    expect(longestStretch([7], false)).toBeNull();
  });
});
