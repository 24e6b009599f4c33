import { describe, expect, it } from "vitest";
import { ticks } from "./edgeSigns";

describe("ticks of free edges", () => {
  it("stand evenly along a chain, square to it", () => {
    const line = new Float32Array([0, 0, 0, 10, 0, 0, 10, 0, 0, 25, 0, 0]);
    const out = ticks(line, 5, 1);
    const feet = [];
    for (let k = 0; k < out.length; k += 6) {
      feet.push(out[k]);
      expect(out[k + 3]).toBeCloseTo(out[k]!, 6);
      expect(Math.hypot(out[k + 4]! - out[k + 1]!, out[k + 5]! - out[k + 2]!)).toBeCloseTo(1, 6);
    }
    expect(feet).toEqual([0, 5, 10, 15, 20]);
  });
  it("skip segments without a length", () => {
    expect(ticks(new Float32Array([1, 1, 1, 1, 1, 1]), 1, 1)).toHaveLength(0);
  });
});
