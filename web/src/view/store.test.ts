import { beforeEach, describe, expect, it } from "vitest";
import { colourOf, PATCH_COLOURS, RAMP, rgb, WALL_COLOUR } from "../parts/palette";
import { useViewStore } from "./store";

const state = () => useViewStore.getState();
beforeEach(() => state().reset());

describe("selection", () => {
  it("replaces on a click and toggles with shift", () => {
    state().select(3, false);
    state().select(5, true);
    expect(state().selected).toEqual([3, 5]);
    state().select(3, true);
    expect(state().selected).toEqual([5]);
    state().select(1, false);
    expect(state().selected).toEqual([1]);
  });
  it("forgets the chosen cells when another metric is shown", () => {
    state().setRange({ metric: "volume", low: 0, high: 1 });
    state().setMetric("volume_ratio");
    expect(state().range).toBeNull();
  });
  it("changes parts of the slice", () => {
    state().setSlice({ on: true, flat: true });
    expect(state().slice).toMatchObject({ on: true, flat: true, side: "behind", active: 0 });
  });
});

function lightness(hex: string): number {
  const [r, g, b] = rgb(hex);
  return 0.2126 * r ** 2.2 + 0.7152 * g ** 2.2 + 0.0722 * b ** 2.2;
}

describe("colours", () => {
  it("gets darker along the ramp, so that the worst is darkest", () => {
    const light = RAMP.map(lightness);
    for (let k = 1; k < light.length; k++) expect(light[k]!).toBeLessThan(light[k - 1]!);
  });
  it("keeps walls apart from named patches", () => {
    expect(colourOf(2, "wall")).toBe(WALL_COLOUR);
    expect(colourOf(9, "inlet")).toBe(PATCH_COLOURS[1]);
    expect(new Set(PATCH_COLOURS).size).toBe(PATCH_COLOURS.length);
  });
});
