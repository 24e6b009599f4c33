// @vitest-environment node
import { describe, expect, it } from "vitest";
import {
  AXES,
  across,
  axisOf,
  centreOf,
  dot,
  outline,
  placed,
  reach,
  shareThrough,
  turned,
  unit,
  type Vec,
} from "./planes";

const box = { low: [0, 0, 0], high: [10, 20, 30], pin: [5, 6, 29.9] };
const diagonal = unit([1, 1, 1])!;

describe("cutting planes", () => {
  it("lie through the pin unless it lies near an end", () => {
    expect(placed({ normal: AXES.x, share: null }, box).offset).toBe(5);
    expect(placed({ normal: AXES.y, share: null }, box).share).toBeCloseTo(0.3);
    expect(placed({ normal: AXES.z, share: null }, box).offset).toBe(15);
    expect(placed({ normal: AXES.z, share: 0.9 }, box).offset).toBeCloseTo(27);
  });

  it("reach from corner to corner, whichever way they look", () => {
    expect(reach(AXES.y, box)).toEqual([0, 20]);
    expect(reach([0, -1, 0], box).map((v) => v + 0)).toEqual([-20, 0]);
    const [from, to] = reach(diagonal, box);
    expect(from).toBeCloseTo(0);
    expect(to).toBeCloseTo(60 / Math.sqrt(3));
  });

  it("go through the place that is asked for, and stay in the box", () => {
    const share = shareThrough(diagonal, [3, 4, 5], box);
    expect(placed({ normal: diagonal, share }, box).offset).toBeCloseTo(12 / Math.sqrt(3));
    expect(shareThrough(AXES.x, [99, 0, 0], box)).toBe(1);
    expect(shareThrough(AXES.x, [-9, 0, 0], box)).toBe(0);
  });

  it("have a centre on them, nearest to the middle of the box", () => {
    const at = placed({ normal: diagonal, share: 0.2 }, box);
    const centre = centreOf(at, box);
    expect(dot(centre, diagonal)).toBeCloseTo(at.offset);
    const away = centre.map((v, k) => v - [5, 10, 15][k]!);
    expect(Math.abs(dot(away, diagonal))).toBeCloseTo(Math.hypot(...away));
  });

  it("meet the box in a closed outline of the right area", () => {
    const square = outline(placed({ normal: AXES.z, share: 0.5 }, box), box);
    expect(square.length).toBe(4 * 6);
    // a cube cut through its middle across its diagonal shows a regular hexagon of 3√3/4 a²
    const cube = { low: [0, 0, 0], high: [2, 2, 2], pin: [1, 1, 1] };
    const six = outline(placed({ normal: diagonal, share: 0.5 }, cube), cube);
    expect(six.length).toBe(6 * 6);
    const middle = [1, 1, 1];
    let area = 0;
    for (let k = 0; k < six.length; k += 6) {
      const u = [0, 1, 2].map((i) => six[k + i]! - middle[i]!);
      const v = [0, 1, 2].map((i) => six[k + 3 + i]! - middle[i]!);
      const c = [
        u[1]! * v[2]! - u[2]! * v[1]!,
        u[2]! * v[0]! - u[0]! * v[2]!,
        u[0]! * v[1]! - u[1]! * v[0]!,
      ];
      area += 0.5 * dot(c, diagonal);
    }
    expect(Math.abs(area)).toBeCloseTo(((3 * Math.sqrt(3)) / 4) * 4, 5);
    expect(outline({ ...placed({ normal: AXES.x, share: 0.5 }, cube), offset: 9 }, cube)).toEqual(
      new Float32Array(0),
    );
  });

  it("know the axis that they stand across", () => {
    expect(axisOf(AXES.y)).toBe("y");
    expect(axisOf(diagonal)).toBeNull();
    expect(axisOf([0, -1, 0])).toBeNull();
  });

  it("refuse a normal without a length", () => {
    expect(unit([0, 0, 0])).toBeNull();
    expect(unit([Number.NaN, 0, 1])).toBeNull();
  });

  it("turn about directions that lie in them", () => {
    for (const normal of [AXES.x, diagonal, unit([0.1, -2, 0.3])!]) {
      const [first, second] = across(normal);
      for (const v of [first, second]) {
        expect(Math.hypot(...v)).toBeCloseTo(1);
        expect(dot(v, normal)).toBeCloseTo(0);
      }
      expect(dot(first, second)).toBeCloseTo(0);
      const next = turned(normal, first, Math.PI / 6);
      expect(dot(next, normal)).toBeCloseTo(Math.cos(Math.PI / 6));
      const round = Array.from({ length: 12 }).reduce<Vec>(
        (v) => turned(v, first, Math.PI / 6),
        normal,
      );
      round.forEach((v, k) => {
        expect(v).toBeCloseTo(normal[k]!);
      });
    }
  });
});
