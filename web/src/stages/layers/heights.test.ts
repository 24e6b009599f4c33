import { describe, expect, it } from "vitest";
import { ends, heights, measureOf } from "./heights";

const row = (more: object) => ({ patches: ["wall*"], count: 3, growth: 2, ...more });

describe("heights of layers", () => {
  it("follow from the first, from all, or from the last", () => {
    const want = { first: 1, total: 7, last: 4 };
    expect(heights(row({ first: 1 }))).toEqual(want);
    expect(heights(row({ total: 7 }))).toEqual(want);
    expect(heights(row({ last: 4 }))).toEqual(want);
    expect(measureOf(row({ total: 7 }))).toBe("total");
  });
  it("are even where nothing grows", () => {
    expect(heights(row({ growth: 1, total: 6 }))).toEqual({ first: 2, total: 6, last: 2 });
    expect(ends(1, 4)).toEqual([0, 0.25, 0.5, 0.75, 1]);
  });
  it("end one above the other", () => {
    expect(ends(2, 3)).toEqual([0, 1 / 7, 3 / 7, 1]);
  });
  it("are not told of a row that is not written yet", () => {
    expect(heights(row({ first: 0 }))).toBeNull();
    expect(heights(row({ first: "x" as never }))).toBeNull();
  });
});
