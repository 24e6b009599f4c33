/** Refinement regions as the settings have them, their outlines, and how they are moved. */

export interface Region {
  name: string;
  shape: "box" | "cylinder" | "sphere" | "frustum" | "shell";
  size: number;
  easing: number;
  low?: number[];
  high?: number[];
  start?: number[];
  end?: number[];
  radius?: number;
  end_radius?: number;
  patches?: string[];
  thickness?: number;
}

type Vector = number[];
const add = (a: Vector, b: Vector, s = 1) => a.map((v, i) => v + s * (b[i] ?? 0));
const minus = (a: Vector, b: Vector) => add(a, b, -1);
const length = (a: Vector) => Math.hypot(...a);
const cross = (a: Vector, b: Vector) => [
  a[1]! * b[2]! - a[2]! * b[1]!,
  a[2]! * b[0]! - a[0]! * b[2]!,
  a[0]! * b[1]! - a[1]! * b[0]!,
];

/** Two unit vectors across an axis. */
export function across(axis: Vector): [Vector, Vector] {
  const unit = axis.map((v) => v / (length(axis) || 1));
  const least = unit.map(Math.abs).indexOf(Math.min(...unit.map(Math.abs)));
  const side = cross(
    unit,
    [0, 1, 2].map((i) => (i === least ? 1 : 0)),
  );
  const u = side.map((v) => v / length(side));
  return [u, cross(unit, u)];
}

function ring(centre: Vector, u: Vector, v: Vector, radius: number): Vector[] {
  return Array.from({ length: 33 }, (_, k) => {
    const angle = (k * Math.PI) / 16;
    return add(add(centre, u, radius * Math.cos(angle)), v, radius * Math.sin(angle));
  });
}

/** Lines that outline a region; a shell has none, its patches show it. */
export function outline(region: Region): Vector[][] {
  const { low, high, start, end } = region;
  if (region.shape === "box" && low && high) {
    const corner = (k: number) => [0, 1, 2].map((i) => ((k >> i) & 1 ? high[i]! : low[i]!));
    const pairs = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((k) =>
      [1, 2, 4].filter((bit) => !(k & bit)).map((bit) => [corner(k), corner(k | bit)]),
    );
    return pairs;
  }
  if (region.shape === "sphere" && start) {
    const r = region.radius ?? 0;
    return [
      ring(start, [1, 0, 0], [0, 1, 0], r),
      ring(start, [0, 1, 0], [0, 0, 1], r),
      ring(start, [0, 0, 1], [1, 0, 0], r),
    ];
  }
  if (start && end) {
    const [u, v] = across(minus(end, start));
    const last = region.shape === "cylinder" ? region.radius : region.end_radius;
    const a = ring(start, u, v, region.radius ?? 0);
    const b = ring(end, u, v, last ?? 0);
    return [a, b, ...[0, 8, 16, 24].map((k) => [a[k]!, b[k]!])];
  }
  return [];
}

export function centre(region: Region): Vector | null {
  if (region.low && region.high) return add(region.low, region.high).map((v) => v / 2);
  if (region.shape === "sphere") return region.start ?? null;
  if (region.start && region.end) return add(region.start, region.end).map((v) => v / 2);
  return null;
}

export function moved(region: Region, by: Vector): Region {
  const out = { ...region };
  for (const key of ["low", "high", "start", "end"] as const) {
    const at = region[key];
    if (at) out[key] = add(at, by).map((v) => Number(v.toPrecision(6)));
  }
  return out;
}

/** A place by which a region is stretched: `out` is its way, pull() the region after a pull. */
export interface Handle {
  words: string;
  at: Vector;
  out: Vector;
  pull: (by: number) => Region;
}

const six = (v: number) => Number(v.toPrecision(6));

export function handles(region: Region): Handle[] {
  const { low, high, start, end } = region;
  const middle = centre(region);
  if (region.shape === "box" && low && high && middle) {
    return [0, 1, 2].flatMap((i) => {
      const axis = [0, 1, 2].map((k) => (k === i ? 1 : 0));
      const least = (high[i]! - low[i]!) * 0.02;
      const at = (value: number) => middle.map((v, k) => (k === i ? value : v));
      const put = (list: Vector, value: number) => list.map((v, k) => (k === i ? six(value) : v));
      return [
        {
          words: `high ${"xyz"[i]}`,
          at: at(high[i]!),
          out: axis,
          pull: (by: number) => ({
            ...region,
            high: put(high, Math.max(low[i]! + least, high[i]! + by)),
          }),
        },
        {
          words: `low ${"xyz"[i]}`,
          at: at(low[i]!),
          out: axis.map((v) => -v),
          pull: (by: number) => ({
            ...region,
            low: put(low, Math.min(high[i]! - least, low[i]! - by)),
          }),
        },
      ];
    });
  }
  const wider = (key: "radius" | "end_radius", from: Vector, out: Vector): Handle => {
    const radius = region[key] ?? 0;
    return {
      words: key === "radius" ? "radius" : "radius at the end",
      at: add(from, out, radius),
      out,
      pull: (by) => ({ ...region, [key]: six(Math.max(radius * 0.02, radius + by)) }),
    };
  };
  if (region.shape === "sphere" && start)
    return [wider("radius", start, [1, 0, 0]), wider("radius", start, [0, 0, 1])];
  if (start && end) {
    const axis = minus(end, start);
    const long = length(axis);
    const unit = axis.map((v) => v / (long || 1));
    const [u] = across(axis);
    const least = 0.02 * long - long;
    const ends = [
      {
        words: "start",
        at: start,
        out: unit.map((v) => -v),
        pull: (by: number) => ({
          ...region,
          start: add(start, unit, -Math.max(least, by)).map(six),
        }),
      },
      {
        words: "end",
        at: end,
        out: unit,
        pull: (by: number) => ({ ...region, end: add(end, unit, Math.max(least, by)).map(six) }),
      },
    ];
    const rings = [wider("radius", start, u)];
    if (region.shape === "frustum") rings.push(wider("end_radius", end, u));
    return [...ends, ...rings];
  }
  return [];
}

/** The shift in space, in the plane of the screen, of a shift in pixels; project: space to pixels. */
export function inSpace(
  at: Vector,
  pixels: readonly [number, number],
  project: (p: Vector) => readonly [number, number],
  step: number,
): Vector {
  const [x, y] = project(at);
  const columns = [0, 1, 2].map((i) => {
    const [px, py] = project(at.map((v, k) => (k === i ? v + step : v)));
    return [(px - x) / step, (py - y) / step] as const;
  });
  const a = columns.reduce((s, c) => s + c[0] * c[0], 0);
  const b = columns.reduce((s, c) => s + c[0] * c[1], 0);
  const d = columns.reduce((s, c) => s + c[1] * c[1], 0);
  const det = a * d - b * b;
  if (!(Math.abs(det) > 1e-12)) return [0, 0, 0];
  const p = (d * pixels[0] - b * pixels[1]) / det;
  const q = (a * pixels[1] - b * pixels[0]) / det;
  return columns.map((c) => c[0] * p + c[1] * q);
}

/** A new region of a shape in the middle of a box, a quarter of its size. */
export function fresh(
  shape: Region["shape"],
  name: string,
  low: Vector,
  high: Vector,
  size: number,
): Region {
  const middle = add(low, high).map((v) => v / 2);
  const span = minus(high, low);
  const round = (v: Vector) => v.map((x) => Number(x.toPrecision(4)));
  const one = (x: number) => Number(x.toPrecision(3));
  const least = Math.min(...span);
  const base = { name, shape, size: one(size), easing: one(least / 2) };
  const long = span.indexOf(Math.max(...span));
  const half = [0, 1, 2].map((i) => (i === long ? span[long]! / 8 : 0));
  if (shape === "box")
    return {
      ...base,
      low: round(add(middle, span, -0.125)),
      high: round(add(middle, span, 0.125)),
    };
  if (shape === "sphere") return { ...base, start: round(middle), radius: one(least / 4) };
  if (shape === "shell") return { ...base, patches: ["wall*"], thickness: one(least / 20) };
  const ends = { start: round(minus(middle, half)), end: round(add(middle, half)) };
  const radius = one(least / 4);
  return shape === "cylinder"
    ? { ...base, ...ends, radius }
    : { ...base, ...ends, radius, end_radius: one(radius * 1.5) };
}
