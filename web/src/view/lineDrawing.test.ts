// @vitest-environment node
import { describe, expect, it } from "vitest";
import { edgeSegments, lineDrawing, type Sight, visiblePath } from "./lineDrawing";

// a cube of two seen along (1, 1, 1): its nearest corner hides the farthest
const CORNERS = Array.from({ length: 8 }, (_, k) => [
  k & 1 ? 1 : -1,
  k & 2 ? 1 : -1,
  k & 4 ? 1 : -1,
]);
const EDGES: [number, number][] = [];
for (let a = 0; a < 8; a++) for (const bit of [1, 2, 4]) if (!(a & bit)) EDGES.push([a, a | bit]);

const SIGHT: Sight = {
  width: 200,
  height: 200,
  project: ([x, y, z]) => [
    100 + (40 * (y! - x!)) / Math.SQRT2,
    100 - (40 * (2 * z! - x! - y!)) / Math.sqrt(6),
  ],
  // a point is hidden if a little step towards the viewer leads into the cube
  hidden: (at) => at.map((v) => v + 1e-3).every((v) => Math.abs(v) < 1),
};

const segment = ([a, b]: [number, number]) => new Float32Array([...CORNERS[a]!, ...CORNERS[b]!]);

describe("a drawing of lines", () => {
  it("shows the nine edges of a cube that nothing hides", () => {
    const seen = EDGES.filter((edge) => visiblePath(segment(edge), SIGHT) !== "");
    expect(seen.length).toBe(9);
    // those that are hidden meet in the farthest corner
    for (const edge of EDGES.filter((e) => !seen.includes(e))) expect(edge).toContain(0);
  });

  it("ends a line where it goes behind something", () => {
    const wall: Sight = {
      width: 100,
      height: 100,
      project: ([x, y]) => [x!, y!],
      hidden: ([x]) => x! > 30 && x! < 60,
    };
    const path = visiblePath(new Float32Array([0, 50, 0, 100, 50, 0]), wall);
    const numbers = path.match(/[\d.]+/g)!.map(Number);
    expect(numbers.filter((_, k) => k % 2 === 0)).toEqual([0, 30, 60, 100]);
  });

  it("leaves out what lies beside the picture", () => {
    const path = visiblePath(new Float32Array([-5, -5, -5, -9, -9, -9].map((v) => v * 100)), {
      ...SIGHT,
      project: ([x, y]) => [x!, y!],
      hidden: () => false,
    });
    expect(path).toBe("");
  });

  it("is an SVG with a title that cannot break it", () => {
    const sets = [{ points: segment([6, 7]), width: 1.2 }];
    const svg = lineDrawing(sets, SIGHT, "<b> & co");
    expect(svg).toContain("<title>&lt;b&gt; &amp; co</title>");
    expect(svg.match(/<path/g)).toHaveLength(1);
    expect(svg).toContain('viewBox="0 0 200 200"');
  });

  it("has each edge of a mesh once, and no diagonals", () => {
    const points = new Float32Array([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]);
    const triangles = new Int32Array([0, 1, 2, 0, 2, 3]);
    expect(edgeSegments(points, triangles).length).toBe(5 * 6);
    expect(edgeSegments(points, triangles, new Uint8Array([3, 6])).length).toBe(4 * 6);
    expect(edgeSegments(points, triangles, undefined, (t) => t === 0).length).toBe(3 * 6);
  });
});
