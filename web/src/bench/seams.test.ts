import { describe, expect, it } from "vitest";
import { seamsOf } from "../study/context";
import { REPORTS, variantWith } from "../testing/bench";

function walking(seams: number[][], links: number[][] = []) {
  const faces = [0, 1, 2, 3].map((k) => ({ id: `face_${k}` }));
  const patches = [
    { name: "wall", kind: "wall", faces: ["face_0", "face_1", "face_2"], area: 1 },
    { name: "lid", kind: "inlet", faces: ["face_3"], area: 1 },
  ];
  const variant = variantWith({
    domain: { report: { ...REPORTS.domain!, faces, links } },
    patches: { report: { ...REPORTS.patches!, patches } },
    sizing: { report: { ...REPORTS.sizing!, seams } },
  });
  return seamsOf(variant);
}

describe("edges that are walked over", () => {
  it("lie between faces of one patch", () => {
    const seam = walking([
      [0, 1],
      [2, 3],
    ])!;
    expect([seam(0, 1), seam(1, 0), seam(2, 3), seam(0, 2)]).toEqual([true, true, false, false]);
    expect(walking([[2, 3]])).toBeNull();
  });

  it("lie where a sliver was left out, but not between neighbours that meet at an edge", () => {
    const pairs = [
      [0, 1],
      [1, 2],
    ];
    expect(walking(pairs)!(0, 2)).toBe(true);
    expect(walking(pairs, [[0, 2, 90]])!(2, 0)).toBe(false);
  });
});
