import { describe, expect, it } from "vitest";
import { lattice } from "../stages/sizing/Swatch";
import { across, centre, fresh, handles, inSpace, moved, outline, type Region } from "./regions";
import { numberOr } from "./rows";

const box: Region = {
  name: "b",
  shape: "box",
  size: 1,
  easing: 2,
  low: [0, 0, 0],
  high: [2, 4, 6],
};

describe("regions", () => {
  it("outlines a box by its twelve edges", () => {
    const lines = outline(box);
    expect(lines).toHaveLength(12);
    const total = lines.reduce((s, [a, b]) => s + Math.hypot(...a!.map((v, i) => v - b![i]!)), 0);
    expect(total).toBeCloseTo(4 * (2 + 4 + 6));
  });

  it("outlines a frustum by its two rings", () => {
    const cone: Region = {
      ...box,
      shape: "frustum",
      start: [0, 0, 0],
      end: [0, 0, 5],
      radius: 1,
      end_radius: 3,
    };
    const [first, last] = outline({ ...cone, low: undefined, high: undefined });
    for (const p of first!) expect(Math.hypot(p[0]!, p[1]!)).toBeCloseTo(1);
    for (const p of last!) {
      expect(Math.hypot(p[0]!, p[1]!)).toBeCloseTo(3);
      expect(p[2]).toBeCloseTo(5);
    }
  });

  it("moves every place of a shape and nothing else", () => {
    const there = moved(box, [1, -1, 0.5]);
    expect(there.low).toEqual([1, -1, 0.5]);
    expect(there.high).toEqual([3, 3, 6.5]);
    expect(there.size).toBe(1);
    expect(centre(there)).toEqual([2, 1, 3.5]);
  });

  it("turns a shift of pixels into one in the plane of the screen", () => {
    // looked at along z, ten pixels to a unit, y upwards
    const project = (p: number[]) => [10 * p[0]!, -10 * p[1]!] as const;
    const by = inSpace([5, 5, 5], [30, -20], project, 0.1);
    expect(by[0]).toBeCloseTo(3);
    expect(by[1]).toBeCloseTo(2);
    expect(by[2]).toBeCloseTo(0);
  });

  it("puts a new region of each shape inside the model", () => {
    for (const shape of ["box", "cylinder", "sphere", "frustum", "shell"] as const) {
      const made = fresh(shape, "r", [0, 0, 0], [10, 4, 2], 1);
      expect(made.shape).toBe(shape);
      const at = centre(made);
      if (shape === "shell") expect(at).toBeNull();
      else expect(at).toEqual([5, 2, 1]);
    }
  });

  it("finds two unit vectors across any axis", () => {
    for (const axis of [
      [0, 0, 3],
      [1, 2, -1],
      [5, 0, 0],
    ]) {
      const [u, v] = across(axis);
      for (const w of [u, v]) {
        expect(Math.hypot(...w)).toBeCloseTo(1);
        expect(w.reduce((s, x, i) => s + x * axis[i]!, 0)).toBeCloseTo(0);
      }
    }
  });
});

describe("swatch", () => {
  it("is made of edges of the true length in the surface's plane", () => {
    const lines = lattice([1, 2, 3], [0, 0, 2], 0.5);
    expect(lines.length).toBeGreaterThan(80);
    for (const [a, b] of lines) {
      expect(Math.hypot(...a!.map((v, i) => v - b![i]!))).toBeCloseTo(0.5);
      expect(a![2]).toBeCloseTo(3);
    }
  });
});

describe("numbers in rows", () => {
  it("takes a comma for a point and leaves nonsense to the server", () => {
    expect(numberOr("1,5")).toBe(1.5);
    expect(numberOr("bore / 3")).toBe("bore / 3");
    expect(numberOr("")).toBe("");
  });
});

describe("handles", () => {
  const box: Region = {
    name: "b",
    shape: "box",
    size: 1,
    easing: 0,
    low: [0, 0, 0],
    high: [2, 4, 6],
  };

  it("stand on the sides of a box and move that side only", () => {
    const own = handles(box);
    expect(own.map((h) => h.at)).toEqual([
      [2, 2, 3],
      [0, 2, 3],
      [1, 4, 3],
      [1, 0, 3],
      [1, 2, 6],
      [1, 2, 0],
    ]);
    expect(own[0]!.pull(1)).toEqual({ ...box, high: [3, 4, 6] });
    expect(own[1]!.pull(1)).toEqual({ ...box, low: [-1, 0, 0] });
    // a side cannot pass the opposite one
    expect(own[0]!.pull(-99).high![0]).toBeGreaterThan(0);
    expect(own[1]!.pull(-99).low![0]).toBeLessThan(2);
  });

  it("change the radius of a sphere, which stays positive", () => {
    const ball: Region = {
      name: "s",
      shape: "sphere",
      size: 1,
      easing: 0,
      start: [1, 1, 1],
      radius: 2,
    };
    expect(handles(ball)[0]!.at).toEqual([3, 1, 1]);
    expect(handles(ball)[0]!.pull(0.5).radius).toBe(2.5);
    expect(handles(ball)[0]!.pull(-50).radius).toBeGreaterThan(0);
  });

  it("move the ends of an axis along it, and both radii of a frustum", () => {
    const cone: Region = {
      name: "f",
      shape: "frustum",
      size: 1,
      easing: 0,
      start: [0, 0, 0],
      end: [10, 0, 0],
      radius: 1,
      end_radius: 3,
    };
    const [start, end, first, last] = handles(cone);
    expect(start!.pull(2).start).toEqual([-2, 0, 0]);
    expect(end!.pull(2).end).toEqual([12, 0, 0]);
    expect(end!.pull(-99).end![0]).toBeGreaterThan(0);
    expect(first!.pull(1).radius).toBe(2);
    expect(last!.pull(1).end_radius).toBe(4);
    expect(handles({ ...cone, shape: "cylinder" })).toHaveLength(3);
  });
});
