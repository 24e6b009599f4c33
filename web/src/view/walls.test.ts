import { describe, expect, it } from "vitest";
import { wallValues } from "./walls";

const cover = Uint8Array.from([0, 1, 2, 4]);

describe("walls with layers", () => {
  it("are coloured by what stands on them", () => {
    const made = wallValues(cover, undefined, "cover");
    expect([...made.values]).toEqual([0, 1, 2, 4]);
  });
  it("or by the height of the first, as a share of the ramp", () => {
    const made = wallValues(cover, Float32Array.from([0, 0, 0.25, 0.75]), "first");
    expect([...made.values]).toEqual([0, 1, 11, 10]);
    expect([made.low, made.high]).toEqual([0.25, 0.75]);
  });
  it("in the middle of the ramp where all are the same", () => {
    const made = wallValues(cover, Float32Array.from([0, 0, 0.5, 0.5]), "yplus");
    expect([...made.values]).toEqual([0, 1, 10.5, 10.5]);
  });
});
