import { describe, expect, it } from "vitest";
import { enclosingRoles } from "./enclosing";

describe("what is looked through", () => {
  it("is the enclosure around a body, not the body nor its sheets", () => {
    const hides = enclosingRoles(["far", "symmetry", "", "sheet"]);
    expect(["far", "symmetry", "", "sheet"].map(hides)).toEqual([true, true, false, false]);
  });

  it("is every wall around sheets that stand inside", () => {
    const hides = enclosingRoles(["", "opening", "sheet"]);
    expect(["", "opening", "sheet"].map(hides)).toEqual([true, true, false]);
  });

  it("is nothing where nothing stands inside", () => {
    expect(["", "opening"].map(enclosingRoles(["", "opening"]))).toEqual([false, false]);
  });
});
