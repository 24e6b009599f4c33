import { describe, expect, it } from "vitest";
import { freeName, moveFaces } from "../blanks/PatchesBlank";

const PATCHES = [
  { name: "inlet", kind: "inlet", faces: ["a", "b"] },
  { name: "patch_1", kind: "wall", faces: [] },
  { name: "wall", kind: "wall", faces: "rest" as const },
];

describe("patches", () => {
  it("moves faces so that each is on one patch", () => {
    const moved = moveFaces(PATCHES, ["b", "c"], 1);
    expect(moved[0]!.faces).toEqual(["a"]);
    expect(moved[1]!.faces).toEqual(["b", "c"]);
    expect(moved[2]!.faces).toBe("rest");
  });
  it("gives faces back to the rest", () => {
    expect(moveFaces(PATCHES, ["a"], -1)[0]!.faces).toEqual(["b"]);
  });
  it("finds a free name", () => {
    expect(freeName(PATCHES, "patch")).toBe("patch_2");
  });
});
