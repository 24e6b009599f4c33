import { describe, expect, it } from "vitest";
import { ends, growthTo, heights, measureOf, wallFlow } from "./heights";

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
  it("reach a total from their first by a growth, if any does", () => {
    expect(growthTo(1, 7, 3)).toBeCloseTo(2, 9);
    expect(growthTo(2, 6, 3)).toBeCloseTo(1, 6);
    expect(growthTo(3, 6, 3)).toBeNull();
    expect(growthTo(0, 6, 3)).toBeNull();
  });
  it("end one above the other", () => {
    expect(ends(2, 3)).toEqual([0, 1 / 7, 3 / 7, 1]);
  });
  it("are not told of a row that is not written yet", () => {
    expect(heights(row({ first: 0 }))).toBeNull();
    expect(heights(row({ first: "x" as never }))).toBeNull();
  });
  it("follow from y+ as in the worked example of the core's tests", () => {
    // White, Fluid Mechanics, example 7.4: 1.2 ft in seawater at 40 ft/s
    const foot = 0.3048;
    const flow = { yplus: 1, speed: 40 * foot, viscosity: 0.000011 * foot ** 2 };
    const foil = row({ ...flow, length: 1200 * foot, along: "plate" });
    const told = wallFlow(foil, 1);
    expect(told?.reynolds).toBeCloseTo(4.364e6, -4);
    expect((told?.thickness ?? 0) / foot).toBeCloseTo(0.0216, 4);
    expect(heights(foil, 1)?.first).toBeCloseTo(1000 * (told?.height ?? 0), 9);
    // the same in metres
    expect(wallFlow({ ...foil, length: 1.2 * foot }, 1000)?.height).toBeCloseTo(
      told?.height ?? 0,
      12,
    );
    expect(wallFlow(row({ yplus: 1, speed: 0 }), 1)).toBeNull();
    expect(heights(row({ yplus: 1 }), 1)).toBeNull();
  });
});
