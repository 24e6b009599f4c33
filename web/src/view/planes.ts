/** Cutting planes: any direction, placed by the share of the way through the box along it. */

export type Vec = [number, number, number];

/** share: 0 to 1 along the normal; null is through the pin. */
export interface CutPlane {
  normal: Vec;
  share: number | null;
}

export interface Space {
  low: number[];
  high: number[];
  pin: number[];
}

/** A plane in numbers: n · x = offset; from and to are the offsets at which it leaves the box. */
export interface Placed {
  normal: Vec;
  offset: number;
  from: number;
  to: number;
  share: number;
}

export const AXES: Record<"x" | "y" | "z", Vec> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

export const dot = (a: number[], b: number[]) =>
  (a[0] ?? 0) * (b[0] ?? 0) + (a[1] ?? 0) * (b[1] ?? 0) + (a[2] ?? 0) * (b[2] ?? 0);

export function unit(v: number[]): Vec | null {
  const length = Math.hypot(v[0]!, v[1]!, v[2]!);
  return length > 0 && Number.isFinite(length)
    ? [v[0]! / length, v[1]! / length, v[2]! / length]
    : null;
}

/** The axis that a plane stands across, or null. */
export function axisOf(normal: Vec): "x" | "y" | "z" | null {
  const found = (Object.keys(AXES) as ("x" | "y" | "z")[]).find(
    (a) => dot(AXES[a], normal) > 1 - 1e-12,
  );
  return found ?? null;
}

/** Least and largest n · x over a box. */
export function reach(normal: Vec, { low, high }: Space): [number, number] {
  let from = 0;
  let to = 0;
  normal.forEach((n, k) => {
    from += n * (n > 0 ? low[k]! : high[k]!);
    to += n * (n > 0 ? high[k]! : low[k]!);
  });
  return [from, to];
}

export function placed(plane: CutPlane, space: Space): Placed {
  const { normal } = plane;
  const [from, to] = reach(normal, space);
  let share = plane.share;
  if (share === null) {
    const at = (dot(normal, space.pin) - from) / (to - from || 1);
    // a pin near an end would show next to nothing
    share = at > 0.15 && at < 0.85 ? at : 0.5;
  }
  return { normal, offset: from + share * (to - from), from, to, share };
}

/** The share at which a plane of this direction goes through a place, within the box. */
export function shareThrough(normal: Vec, at: number[], space: Space): number {
  const [from, to] = reach(normal, space);
  return Math.min(1, Math.max(0, (dot(normal, at) - from) / (to - from || 1)));
}

/** The place on a plane that lies nearest to the middle of the box. */
export function centreOf({ normal, offset }: Placed, { low, high }: Space): Vec {
  const middle = low.map((v, k) => 0.5 * (v + high[k]!));
  const away = offset - dot(normal, middle);
  return normal.map((n, k) => middle[k]! + away * n) as Vec;
}

/** Segments of the outline in which a plane meets a box: pairs of corners, 6 numbers each. */
export function outline({ normal, offset }: Placed, { low, high }: Space): Float32Array {
  const corner = (k: number): Vec => [
    (k & 1 ? high : low)[0]!,
    (k & 2 ? high : low)[1]!,
    (k & 4 ? high : low)[2]!,
  ];
  const spots: Vec[] = [];
  for (let a = 0; a < 8; a++)
    for (const bit of [1, 2, 4]) {
      const b = a | bit;
      if (b === a) continue;
      const [p, q] = [corner(a), corner(b)];
      const [u, v] = [dot(normal, p) - offset, dot(normal, q) - offset];
      if (u > 0 === v > 0) continue;
      const s = u / (u - v);
      spots.push(p.map((x, k) => x + s * (q[k]! - x)) as Vec);
    }
  if (spots.length < 3) return new Float32Array(0);
  // around the middle, in the plane
  const middle = [0, 1, 2].map((k) => spots.reduce((sum, p) => sum + p[k]!, 0) / spots.length);
  const [first, second] = across(normal);
  const angle = (p: Vec) => {
    const way = p.map((x, k) => x - middle[k]!);
    return Math.atan2(dot(way, second), dot(way, first));
  };
  const round = [...spots].sort((p, q) => angle(p) - angle(q));
  return new Float32Array(round.flatMap((p, k) => [...p, ...round[(k + 1) % round.length]!]));
}

/** Two directions square to a normal and to each other. */
export function across(normal: Vec): [Vec, Vec] {
  const least = [0, 1, 2].reduce((a, b) => (Math.abs(normal[b]!) < Math.abs(normal[a]!) ? b : a));
  const other = [0, 0, 0];
  other[least] = 1;
  const first = unit(cross(normal, other))!;
  return [first, cross(normal, first)];
}

export function cross(a: number[], b: number[]): Vec {
  return [
    a[1]! * b[2]! - a[2]! * b[1]!,
    a[2]! * b[0]! - a[0]! * b[2]!,
    a[0]! * b[1]! - a[1]! * b[0]!,
  ];
}

/** A direction turned by an angle about another, both of length one (Rodrigues). */
export function turned(v: Vec, about: Vec, angle: number): Vec {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const side = cross(about, v);
  const along = dot(about, v) * (1 - c);
  return unit(v.map((x, k) => x * c + side[k]! * s + about[k]! * along))!;
}
