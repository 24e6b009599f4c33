// @vitest-environment jsdom
import { describe, expect, it } from "vitest";
import { wordsOf } from "../compare/Figures";
import { steps } from "../compare/Overlaid";
import { readPlace } from "../parts/route";
import { heightOf, place } from "./Bars";

describe("bars", () => {
  it("are as high as their count, its root or its logarithm, and never vanish", () => {
    expect(heightOf(25, 100, "even")).toBe(0.25);
    expect(heightOf(25, 100, "root")).toBe(0.5);
    expect(heightOf(99, 99, "log")).toBe(1);
    expect(heightOf(1, 1e6, "even")).toBe(0.04);
    expect(heightOf(0, 100, "root")).toBe(0);
  });

  it("know where a limit stands among them, whatever their widths", () => {
    expect(place(3, [0, 2, 10])).toBeCloseTo(0.5 + 0.5 / 8);
    expect(place(0, [0, 2, 10])).toBe(0);
    expect(place(10, [0, 2, 10])).toBe(1);
    expect(place(11, [0, 2, 10])).toBeNull();
  });
});

describe("variants side by side", () => {
  it("have their histograms as steps over one axis", () => {
    expect(steps([0.25, 1], 1)).toBe("0.0,50.0 500.0,50.0 500.0,0.0 1000.0,0.0");
  });

  it("have their values in words", () => {
    const told = [null, true, 12345, 0.123456, "wall"].map(wordsOf);
    expect(told).toEqual(["—", "yes", "12,345", "0.1235", "wall"]);
  });

  it("stand in the address, each once and four at most", () => {
    expect(readPlace("/study/3/compare/5,6,5").compare).toEqual([5, 6]);
    expect(readPlace("/study/3/compare/1,2,3,4,5").compare).toEqual([1, 2, 3, 4]);
    expect(readPlace("/study/3/compare/x").compare).toBeUndefined();
  });
});
