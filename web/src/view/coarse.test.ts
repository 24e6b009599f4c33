import { expect, test } from "vitest";
import { coarsened, Pace } from "./coarse";
import type { SurfaceArrays } from "./geometry";

/** A square plate of n by n quads, cut in two each, in two regions left and right. */
function plate(n: number): SurfaceArrays {
  const points: number[] = [];
  const triangles: number[] = [];
  const region: number[] = [];
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) points.push(i / n, j / n, 0);
  for (let j = 0; j < n; j++) {
    for (let i = 0; i < n; i++) {
      const a = j * (n + 1) + i;
      triangles.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
      const side = i < n / 2 ? 0 : 1;
      region.push(side, side);
    }
  }
  return {
    points: Float32Array.from(points),
    triangles: Int32Array.from(triangles),
    region: Int32Array.from(region),
    cover: Uint8Array.from(region, (r) => r + 3),
  };
}

function area(data: SurfaceArrays): number {
  const { points: p, triangles: t } = data;
  let sum = 0;
  for (let k = 0; k < t.length; k += 3) {
    const [a, b, c] = [3 * t[k]!, 3 * t[k + 1]!, 3 * t[k + 2]!];
    sum +=
      ((p[b]! - p[a]!) * (p[c + 1]! - p[a + 1]!) - (p[c]! - p[a]!) * (p[b + 1]! - p[a + 1]!)) / 2;
  }
  return sum;
}

test("a likeness has about as many triangles as wanted and covers the surface", () => {
  const whole = plate(200);
  const few = coarsened(whole, 3000);
  expect(few.region.length).toBeGreaterThan(1500);
  expect(few.region.length).toBeLessThan(4500);
  // points stay on the surface and only its rim is lost, at most by a cube's side
  expect(area(few)).toBeGreaterThan(0.93);
  expect(area(few)).toBeLessThanOrEqual(1.0001);
});

test("its triangles keep their region and what stands on them", () => {
  const few = coarsened(plate(100), 500);
  expect(new Set(few.region)).toEqual(new Set([0, 1]));
  few.region.forEach((r, t) => {
    expect(few.cover![t]).toBe(r + 3);
  });
});

test("a surface that is coarser than that stays as it is", () => {
  const whole = plate(4);
  expect(coarsened(whole, 30_000).triangles).toEqual(whole.triangles);
});

test("turning lags when two frames in a row took long, until another surface comes", () => {
  const pace = new Pace();
  pace.took(900, true);
  pace.took(16, true);
  pace.took(120, true);
  pace.took(120, false); // the page was busy, perhaps with something else
  expect(pace.lags).toBe(false);
  pace.took(120, true);
  pace.took(120, true);
  expect(pace.lags).toBe(true);
  pace.took(16, true); // the likeness is fast, which says nothing about the whole
  expect(pace.lags).toBe(true);
  pace.reset();
  expect(pace.lags).toBe(false);
  pace.took(900, false);
  pace.took(900, false);
  expect(pace.lags).toBe(true);
});
