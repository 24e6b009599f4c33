/** Arrays from the server as buffers for drawing. */
import * as THREE from "three";

const BARY = [1, 0, 0, 0, 1, 0, 0, 0, 1];

export interface SurfaceArrays {
  points: Float32Array;
  triangles: Int32Array;
  region: Int32Array;
  /** Per triangle: bit i is set where the side from corner i on is an edge of a cell. */
  sides?: Uint8Array;
  /** Per triangle what layers stand on it: 0 unasked, then none, some, all lowered, all. */
  cover?: Uint8Array | Float32Array;
}

/**
 * Place of each corner within its triangle. A side that is a mere diagonal is lifted by one, so that
 * no line is drawn there.
 */
function barycentric(triangles: number, sides: Uint8Array | undefined): Float32Array {
  const out = new Float32Array(9 * triangles);
  for (let t = 0; t < triangles; t++) {
    out.set(BARY, 9 * t);
    const own = sides ? sides[t]! : 7;
    for (let i = 0; i < 3; i++) {
      if (own & (1 << i)) continue;
      for (let corner = 0; corner < 3; corner++) out[9 * t + 3 * corner + ((i + 2) % 3)]! += 1;
    }
  }
  return out;
}

/**
 * Triangles with corners of their own. smooth: normals averaged within a region, for CAD faces;
 * otherwise flat, so that each triangle of a mesh shows.
 */
export function surfaceGeometry(data: SurfaceArrays, smooth: boolean): THREE.BufferGeometry {
  const { points, triangles, region } = data;
  const m = triangles.length / 3;
  const position = new Float32Array(9 * m);
  const normal = new Float32Array(9 * m);
  const bary = barycentric(m, data.sides);
  const regions = new Float32Array(3 * m);
  const sum = new Map<number, [number, number, number]>();
  const n = points.length / 3;
  const flat = new Float32Array(3 * m);
  for (let t = 0; t < m; t++) {
    for (let i = 0; i < 3; i++) {
      const v = triangles[3 * t + i]!;
      for (let k = 0; k < 3; k++) position[9 * t + 3 * i + k] = points[3 * v + k]!;
      regions[3 * t + i] = region[t]!;
    }
    const p = 9 * t;
    const ux = position[p + 3]! - position[p]!;
    const uy = position[p + 4]! - position[p + 1]!;
    const uz = position[p + 5]! - position[p + 2]!;
    const vx = position[p + 6]! - position[p]!;
    const vy = position[p + 7]! - position[p + 1]!;
    const vz = position[p + 8]! - position[p + 2]!;
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    flat.set([nx, ny, nz], 3 * t);
    if (smooth) {
      for (let i = 0; i < 3; i++) {
        const key = region[t]! * n + triangles[3 * t + i]!;
        const s = sum.get(key);
        if (s) {
          s[0] += nx;
          s[1] += ny;
          s[2] += nz;
        } else sum.set(key, [nx, ny, nz]);
      }
    }
  }
  for (let t = 0; t < m; t++) {
    for (let i = 0; i < 3; i++) {
      const s = smooth
        ? sum.get(region[t]! * n + triangles[3 * t + i]!)!
        : [flat[3 * t]!, flat[3 * t + 1]!, flat[3 * t + 2]!];
      const length = Math.hypot(s[0]!, s[1]!, s[2]!) || 1;
      for (let k = 0; k < 3; k++) normal[9 * t + 3 * i + k] = s[k]! / length;
    }
  }
  const out = new THREE.BufferGeometry();
  out.setAttribute("position", new THREE.BufferAttribute(position, 3));
  out.setAttribute("normal", new THREE.BufferAttribute(normal, 3));
  out.setAttribute("bary", new THREE.BufferAttribute(bary, 3));
  out.setAttribute("region", new THREE.BufferAttribute(regions, 1));
  const cover = new Float32Array(3 * m);
  if (data.cover) for (let k = 0; k < 3 * m; k++) cover[k] = data.cover[Math.floor(k / 3)]!;
  out.setAttribute("cover", new THREE.BufferAttribute(cover, 1));
  return out;
}

export interface CellArrays {
  points: Float32Array;
  triangles: Int32Array;
  value: Float32Array;
  /** Per triangle the cell that it is of. */
  cell?: Int32Array;
  sides?: Uint8Array;
}

/** Faces of cells with a value each, flat. */
export function cellGeometry(data: CellArrays): THREE.BufferGeometry {
  const { triangles, value } = data;
  const region = new Int32Array(triangles.length / 3);
  const out = surfaceGeometry({ ...data, region }, false);
  const values = new Float32Array(triangles.length);
  for (let t = 0; t < value.length; t++) values.fill(value[t]!, 3 * t, 3 * t + 3);
  out.deleteAttribute("region");
  out.setAttribute("value", new THREE.BufferAttribute(values, 1));
  return out;
}

/** Area of each region's triangles. */
export function regionBounds(data: SurfaceArrays): THREE.Box3 {
  const box = new THREE.Box3();
  const p = new THREE.Vector3();
  for (let i = 0; i < data.points.length; i += 3) {
    box.expandByPoint(p.set(data.points[i]!, data.points[i + 1]!, data.points[i + 2]!));
  }
  return box;
}

/** Half the width and height of a box as seen with a rotation of the camera. */
export function extents(box: THREE.Box3, way: THREE.Quaternion): [number, number] {
  const centre = box.getCenter(new THREE.Vector3());
  const inverse = way.clone().invert();
  let wide = 1e-9;
  let high = 1e-9;
  for (let k = 0; k < 8; k++) {
    const corner = new THREE.Vector3(
      k & 1 ? box.max.x : box.min.x,
      k & 2 ? box.max.y : box.min.y,
      k & 4 ? box.max.z : box.min.z,
    )
      .sub(centre)
      .applyQuaternion(inverse);
    wide = Math.max(wide, Math.abs(corner.x));
    high = Math.max(high, Math.abs(corner.y));
  }
  return [wide, high];
}

/** The segments between neighbouring triangles of different regions, and open edges. */
export function regionLines(
  data: SurfaceArrays,
  seam: ((a: number, b: number) => boolean) | null = null,
): { lines: Float32Array; seams: Float32Array } {
  const { points, triangles, region } = data;
  const n = points.length / 3;
  const seen = new Map<number, number>();
  const solid: number[] = [];
  const dotted: number[] = [];
  const push = (out: number[], a: number, b: number) => {
    for (const v of [a, b]) out.push(points[3 * v]!, points[3 * v + 1]!, points[3 * v + 2]!);
  };
  for (let t = 0; t < region.length; t++) {
    for (let i = 0; i < 3; i++) {
      const a = triangles[3 * t + i]!;
      const b = triangles[3 * t + ((i + 1) % 3)]!;
      const key = a < b ? a * n + b : b * n + a;
      const other = seen.get(key);
      if (other === undefined) seen.set(key, region[t]!);
      else {
        if (other !== region[t]!) push(seam?.(other, region[t]!) ? dotted : solid, a, b);
        seen.delete(key);
      }
    }
  }
  return { lines: new Float32Array(solid), seams: new Float32Array(dotted) };
}

/** One name for two faces, whichever comes first. */
export const pairKey = (a: number, b: number) => (a < b ? `${a} ${b}` : `${b} ${a}`);

/**
 * Middle of the longest stretch between crossings of a closed surface along a ray: inside of it, or
 * in the space between leaving it and meeting it again. Null without crossings.
 */
export function longestStretch(distances: number[], inside: boolean): number | null {
  const at = distances.filter((d, k) => k === 0 || d - distances[k - 1]! > 1e-9 * Math.abs(d));
  let best = 0;
  let spot: number | null = null;
  for (let k = inside ? 0 : 1; k + 1 < at.length; k += 2) {
    const wide = at[k + 1]! - at[k]!;
    if (wide > best) {
      best = wide;
      spot = 0.5 * (at[k]! + at[k + 1]!);
    }
  }
  if (spot === null && at.length > 1) spot = 0.5 * (at[0]! + at[1]!);
  return spot;
}
