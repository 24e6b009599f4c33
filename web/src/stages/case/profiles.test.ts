import { describe, expect, it } from "vitest";
import { parabola, quantities, readSolution, valuesOf } from "./profiles";

const distance = Array.from({ length: 41 }, (_, k) => k / 10);

describe("a developed flow over a profile", () => {
  it("is the same parabola where the flow is developed", () => {
    // a channel from 1 to 3 in the middle of the line
    const values = distance.map((d) => (d > 1 && d < 3 ? 1.5 * 0.2 * (1 - (d - 2) ** 2) : null));
    const over = parabola(distance, values);
    over.forEach((v, k) => {
      if (values[k] === null) expect(v).toBeNull();
      else expect(v!).toBeCloseTo(values[k]!, 1);
    });
    expect(Math.max(...over.map((v) => v ?? 0))).toBeCloseTo(0.3, 1);
  });

  it("has the same mean along the line, and is nothing of too few places", () => {
    const flat = distance.map(() => 2);
    const over = parabola(distance, flat) as number[];
    expect(over.reduce((a, b) => a + b) / over.length).toBeCloseTo(2, 9);
    expect(over[20]).toBeCloseTo(3.0, 0);
    expect(parabola([0, 1, 2], [null, 1, null])).toEqual([null, null, null]);
  });
});

describe("a solution from a file", () => {
  it("is rows of two numbers, with or without a heading", () => {
    expect(readSolution("y,u\n0,0\n0.5, 1.5\n\n1;0\n")).toEqual([
      [0, 0],
      [0.5, 1.5],
      [1, 0],
    ]);
    expect(() => readSolution("no numbers\nat all")).toThrow(/two numbers/);
  });
});

it("a component of the velocity is taken by its axis", () => {
  const profile = {
    distance: [0],
    velocity: [[1, 2, 3]],
    speed: [4],
    pressure: [5],
    temperature: [6],
  };
  expect(valuesOf(profile, "v")).toEqual([2]);
  expect(valuesOf(profile, "pressure")).toEqual([5]);
  expect(quantities(true).length).toBe(quantities(false).length + 1);
});
