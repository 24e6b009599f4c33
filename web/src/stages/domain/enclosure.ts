/** The enclosure's outline and handles, from what the server says it is. */

export interface Enclosure {
  shape: string;
  along: number[];
  low: number[];
  high: number[];
  radius: number;
  end_radius: number;
  symmetry: [number, number] | null;
  /** low and high corner of the body */
  body: number[][];
  /** body length in model units */
  length: number;
}

export interface Handle {
  /** the setting that it changes */
  name: string;
  at: number[];
  /** unit vector in which the distance grows */
  out: number[];
}

const flowOf = (e: Enclosure) => e.along.findIndex((v) => Math.abs(v) > 0.5);

export function handlesOf(e: Enclosure): Handle[] {
  const axis = flowOf(e);
  const sign = e.along[axis]! > 0 ? 1 : -1;
  const up = axis === 2 ? 1 : 2;
  const side = 3 - axis - up;
  const middle = e.low.map((v, k) => 0.5 * (v + e.high[k]!));
  const out: Handle[] = [];
  const add = (name: string, k: number, positive: boolean) => {
    const at = [...middle];
    at[k] = positive ? e.high[k]! : e.low[k]!;
    const way = [0, 0, 0];
    way[k] = positive ? 1 : -1;
    out.push({ name, at, out: way });
  };
  if (e.shape !== "sphere") {
    add("ahead", axis, sign < 0);
    add("behind", axis, sign > 0);
  }
  add("aside", side, true);
  if (e.shape === "box") {
    add("above", up, true);
    add("below", up, false);
  }
  return out;
}

/** The enclosure with one of its distances drawn to another value, while it is dragged. */
export function stretched(e: Enclosure, name: string, share: number): Enclosure {
  const handle = handlesOf(e).find((h) => h.name === name);
  if (!handle) return e;
  const k = handle.out.findIndex((v) => v !== 0);
  const positive = handle.out[k]! > 0;
  const body = e.body;
  const low = [...e.low];
  const high = [...e.high];
  if (positive) high[k] = body[1]![k]! + share * e.length;
  else low[k] = body[0]![k]! - share * e.length;
  if (name === "aside" && !(e.symmetry && e.symmetry[0] === k))
    low[k] = body[0]![k]! - share * e.length;
  return { ...e, low, high };
}

/** Line segments of the outline. */
export function enclosureLines(e: Enclosure): Float32Array {
  const out: number[] = [];
  const { low, high } = e;
  if (e.shape === "box") {
    for (let k = 0; k < 3; k++) {
      const [i, j] = [(k + 1) % 3, (k + 2) % 3];
      for (const a of [low[i]!, high[i]!])
        for (const b of [low[j]!, high[j]!]) {
          const p = [0, 0, 0];
          p[i] = a;
          p[j] = b;
          const q = [...p];
          p[k] = low[k]!;
          q[k] = high[k]!;
          out.push(...p, ...q);
        }
    }
    return new Float32Array(out);
  }
  const axis = flowOf(e);
  const middle = low.map((v, k) => 0.5 * (v + high[k]!));
  const circle = (k: number, at: number, radius: number) => {
    const [i, j] = [(k + 1) % 3, (k + 2) % 3];
    for (let n = 0; n < 64; n++) {
      for (const t of [(2 * Math.PI * n) / 64, (2 * Math.PI * (n + 1)) / 64]) {
        const p = [0, 0, 0];
        p[k] = at;
        p[i] = middle[i]! + radius * Math.cos(t);
        p[j] = middle[j]! + radius * Math.sin(t);
        out.push(...p);
      }
    }
  };
  if (e.shape === "sphere") {
    for (let k = 0; k < 3; k++) circle(k, middle[k]!, 0.5 * (high[0]! - low[0]!));
    return new Float32Array(out);
  }
  const start = e.along[axis]! > 0 ? low[axis]! : high[axis]!;
  const end = e.along[axis]! > 0 ? high[axis]! : low[axis]!;
  circle(axis, start, e.radius);
  circle(axis, end, e.end_radius);
  const [i, j] = [(axis + 1) % 3, (axis + 2) % 3];
  for (let n = 0; n < 4; n++) {
    const t = (Math.PI * n) / 2;
    for (const [at, radius] of [
      [start, e.radius],
      [end, e.end_radius],
    ] as const) {
      const p = [0, 0, 0];
      p[axis] = at;
      p[i] = middle[i]! + radius * Math.cos(t);
      p[j] = middle[j]! + radius * Math.sin(t);
      out.push(...p);
    }
  }
  return new Float32Array(out);
}
