import { describe, expect, it } from "vitest";
import type { Face, Feature, PatchSetting } from "../api/reports";
import { pattern } from "../parts/pattern";
import { type Enclosure, enclosureLines, handlesOf, stretched } from "../stages/domain/enclosure";
import { featureRows } from "../stages/geometry/features";
import { moved, safeTolerance } from "../study/operations";
import {
  groupsByAngle,
  groupsByPlane,
  membersOf,
  mergePatches,
  renamed,
  splitPatch,
} from "../study/patches";
import { reference, refName } from "../study/references";
import { shown } from "../study/sentences";
import { words } from "./Ruler";

const face = (id: string, x: number): Face => ({
  id,
  surface: "plane",
  area: 1,
  centre: [x, 0, 0],
  at: [x, 0, 0],
  at_end: false,
  normal: [1, 0, 0],
  radius: 0,
  name: "",
  colour: "",
});
const FACES = [face("a", 0), face("b", 1), face("c", 2), face("d", 3)];
const patch = (name: string, faces: string[] | "rest"): PatchSetting => ({
  name,
  kind: "wall",
  faces,
});

describe("references", () => {
  it("carry the place and give the name back", () => {
    expect(reference("face_3", [1, 2.00000001, -3])).toBe("face_3 @ 1 2 -3");
    expect(reference("face_3", undefined)).toBe("face_3");
    expect(refName("face_3 @ 1 2 -3")).toBe("face_3");
    expect(refName("@ 1 2 3")).toBe("");
  });
});

describe("members of patches", () => {
  it("follow names, patterns and the rest", () => {
    const patches = [patch("p", ["a @ 0 0 0"]), patch("q", ["[bc]", "b*"]), patch("r", "rest")];
    expect(membersOf(patches, FACES, [])).toEqual([["a"], ["b"], ["c", "d"]]);
  });
  it("take what the server settled for references by place alone", () => {
    const settled = [{ name: "p", kind: "wall", faces: ["c"], area: 1 }];
    expect(membersOf([patch("p", ["@ 2 0 0"])], FACES, settled)).toEqual([["c"]]);
  });
  it("treat other signs of a pattern literally", () => {
    expect(pattern("a.b*").test("a.bc")).toBe(true);
    expect(pattern("a.b*").test("axbc")).toBe(false);
  });
});

describe("splitting, merging, renaming", () => {
  it("parts faces at sharp edges", () => {
    const links: [number, number, number][] = [
      [0, 1, 5],
      [1, 2, 60],
      [2, 3, 0],
    ];
    expect(groupsByAngle(FACES, links, ["a", "b", "c", "d"], 20)).toEqual([
      ["a", "b"],
      ["c", "d"],
    ]);
    expect(groupsByAngle(FACES, links, ["a", "b", "c", "d"], 90)).toHaveLength(1);
    expect(groupsByPlane(FACES, ["a", "b", "d"], 0)).toEqual([["a", "b"], ["d"]]);
  });
  it("keeps the first group under the old name and every face once", () => {
    const patches = [patch("p", ["a", "b", "c"]), patch("p_2", ["d"])];
    const out = splitPatch(patches, 0, [["a"], ["b"], ["c"]], FACES);
    expect(out.map((p) => p.name)).toEqual(["p", "p_3", "p_4", "p_2"]);
    expect(out.flatMap((p) => (p.faces as string[]).map(refName)).sort()).toEqual([
      "a",
      "b",
      "c",
      "d",
    ]);
    expect(splitPatch(patches, 0, [["a", "b", "c"]], FACES)).toBe(patches);
  });
  it("leaves the rest with what it keeps", () => {
    const out = splitPatch(
      [patch("r", "rest")],
      0,
      [
        ["a", "b"],
        ["c", "d"],
      ],
      FACES,
    );
    expect(out[0]!.faces).toBe("rest");
    expect((out[1]!.faces as string[]).map(refName)).toEqual(["c", "d"]);
  });
  it("merges and drops the emptied patch", () => {
    const patches = [patch("p", ["a"]), patch("q", ["b"])];
    const out = mergePatches(patches, 0, "q", FACES, [["a"], ["b"]]);
    expect(out).toHaveLength(1);
    expect((out[0]!.faces as string[]).map(refName)).toEqual(["b", "a"]);
  });
  it("renames by pattern and keeps what the star stood for", () => {
    const patches = [patch("wall_top", []), patch("inlet", []), patch("wall_low", [])];
    expect(renamed(patches, "wall_*", "hull_*").map((p) => p.name)).toEqual([
      "hull_top",
      "inlet",
      "hull_low",
    ]);
    expect(renamed(patches, "", "x")).toBe(patches);
  });
});

const BOX: Enclosure = {
  shape: "box",
  along: [1, 0, 0],
  low: [-50, -40, -30],
  high: [110, 40, 30],
  radius: 0,
  end_radius: 0,
  symmetry: null,
  body: [
    [0, -5, -5],
    [10, 5, 5],
  ],
  length: 10,
};

describe("the enclosure", () => {
  it("has a handle for each distance that its shape has", () => {
    const names = (e: Enclosure) => handlesOf(e).map((h) => h.name);
    expect(names(BOX)).toEqual(["ahead", "behind", "aside", "above", "below"]);
    expect(names({ ...BOX, shape: "cylinder" })).toEqual(["ahead", "behind", "aside"]);
    expect(names({ ...BOX, shape: "sphere" })).toEqual(["aside"]);
    const ahead = handlesOf(BOX)[0]!;
    expect(ahead.at).toEqual([-50, 0, 0]);
    expect(ahead.out).toEqual([-1, 0, 0]);
    expect(handlesOf({ ...BOX, along: [-1, 0, 0] })[0]!.at[0]).toBe(110);
  });
  it("stretches while a handle is dragged, in body lengths", () => {
    expect(stretched(BOX, "behind", 2).high[0]).toBe(30);
    expect(stretched(BOX, "ahead", 1).low[0]).toBe(-10);
    const wide = stretched(BOX, "aside", 3);
    expect([wide.low[1], wide.high[1]]).toEqual([-35, 35]);
    const half = stretched({ ...BOX, symmetry: [1, 0], low: [-50, 0, -30] }, "aside", 3);
    expect(half.low[1]).toBe(0);
    expect(stretched(BOX, "nothing", 3)).toBe(BOX);
  });
  it("is drawn by its edges", () => {
    expect(enclosureLines(BOX)).toHaveLength(12 * 6);
    const round = { ...BOX, shape: "cylinder", radius: 40, end_radius: 40 };
    const lines = enclosureLines(round);
    for (let k = 0; k < lines.length; k += 3)
      expect(Math.hypot(lines[k + 1]!, lines[k + 2]!)).toBeCloseTo(40, 4);
  });
});

describe("small rules", () => {
  it("moves repairs", () => {
    expect(moved([1, 2, 3], 2, 0)).toEqual([3, 1, 2]);
    expect(moved([1, 2, 3], 0, 1)).toEqual([2, 1, 3]);
  });
  it("proposes a thousandth of the model as safe", () => {
    expect(safeTolerance([0, 0, 0], [300, 400, 0])).toBe(0.5);
  });
  it("shows a sentence only while it has an effect", () => {
    const sentence = { text: "", only: { where: ["around"], shape: ["box", "sphere"] } };
    expect(shown(sentence, { where: "around", shape: "box" })).toBe(true);
    expect(shown(sentence, { where: "inside", shape: "box" })).toBe(false);
    expect(shown({ text: "", only: {} }, {})).toBe(true);
  });
  it("puts features of one kind and size in a row", () => {
    const hole = (size: number, id: string): Feature => ({
      kind: "hole",
      size,
      faces: [id],
      centre: [0, 0, 0],
    });
    expect(featureRows([hole(6, "a"), hole(6.0000001, "b"), hole(8, "c")])).toEqual([
      { kind: "hole", size: 6, count: 2, faces: ["a", "b"] },
      { kind: "hole", size: 8, count: 1, faces: ["c"] },
    ]);
  });
  it("says the ruler's result in few words", () => {
    expect(words({ at: [], distance: 12.3456789 }, "mm")).toBe("12.346 mm");
    expect(words({ at: [], diameter: 10, thickness: 2 }, "mm")).toBe("⌀ 10 mm, wall 2 mm");
    expect(words({ at: [] }, "mm")).toContain("second");
  });
});
