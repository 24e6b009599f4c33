// @vitest-environment jsdom
import { describe, expect, it } from "vitest";
import { AXES, placed } from "../view/planes";
import { START } from "../view/store";
import { asked, boundsOf } from "./useCells";

const box = { low: [0, 0, 0], high: [10, 20, 30], pin: [5, 10, 15] };
const planes = [
  { normal: AXES.x, share: 0.5 },
  { normal: AXES.z, share: 0.1 },
].map((p) => placed(p, box));
const front = () => 1 as const;
const slice = { ...START.slice, on: true };
const base = { slice, metric: "volume", range: null, focus: null, painted: false };

describe("what is asked of the server", () => {
  it("is nothing while no slice is on", () => {
    expect(asked({ ...base, slice: START.slice }, planes, false, front)).toEqual([]);
  });

  it("is a slice for each plane", () => {
    const out = asked(base, planes, false, front);
    expect(out.map(([name]) => name)).toEqual(["plane 0", "plane 1"]);
    expect(out[1]![1]).toBe("slice?nx=0&ny=0&nz=1&offset=3&metric=volume&flat=false&peel=false");
  });

  it("is the layers behind the plane at hand, the way that one looks", () => {
    const out = asked({ ...base, slice: { ...slice, active: 1 } }, planes, true, () => -1);
    expect(out).toEqual([
      ["plane 0", "slice?nx=0&ny=0&nz=-1&offset=-3&metric=volume&flat=false&peel=true"],
    ]);
  });

  it("is the chosen cells instead, and those around one before all", () => {
    const range = { metric: "warp", low: 1, high: 2 };
    const focus = { cell: 7, rings: 2, metric: "warp", value: 2, words: "" };
    expect(asked({ ...base, range }, planes, false, front)).toEqual([
      ["range", "cells?metric=warp&low=1&high=2"],
    ]);
    expect(asked({ ...base, range, focus }, planes, false, front)).toEqual([
      ["focus", "around?cell=7&rings=2&metric=volume"],
    ]);
  });
});

describe("what is asked of a surface mesh", () => {
  it("is all its triangles once they are coloured, no slice, and pieces before all", () => {
    expect(asked(base, planes, false, front, "surface")).toEqual([]);
    const painted = { ...base, metric: "aspect_ratio", painted: true };
    expect(asked(painted, planes, false, front, "surface")).toEqual([
      ["whole", "cells?stage=surface&metric=aspect_ratio"],
    ]);
    const range = { metric: "deviation", low: 0, high: 1 };
    expect(asked({ ...painted, range }, planes, false, front, "surface")).toEqual([
      ["range", "cells?stage=surface&metric=deviation&low=0&high=1"],
    ]);
  });
});

describe("bounds", () => {
  it("hold all points", () => {
    expect(boundsOf(new Float32Array([1, 2, 3, -1, 5, 0]))).toEqual([
      [-1, 2, 0],
      [1, 5, 3],
    ]);
  });
});
