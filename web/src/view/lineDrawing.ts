/** What is seen as lines alone, in SVG: edges that nothing hides. */

export type Segments = { points: Float32Array; width: number };

export interface Sight {
  width: number;
  height: number;
  /** pixels of a model point */
  project: (at: number[]) => [number, number];
  /** whether something stands between a model point and the viewer */
  hidden: (at: number[]) => boolean;
}

/** Pixels between the places where it is asked whether a line is hidden. */
const STEP = 2.5;
const MOST_STEPS = 300;

/** The visible stretches of segments (6 numbers each) as path data. */
export function visiblePath(points: Float32Array, sight: Sight): string {
  const out: string[] = [];
  for (let k = 0; k + 5 < points.length; k += 6) {
    const a = [points[k]!, points[k + 1]!, points[k + 2]!];
    const b = [points[k + 3]!, points[k + 4]!, points[k + 5]!];
    const [ax, ay] = sight.project(a);
    const [bx, by] = sight.project(b);
    if (beside(ax, bx, sight.width) || beside(ay, by, sight.height)) continue;
    const long = Math.hypot(bx - ax, by - ay);
    const n = Math.max(1, Math.min(MOST_STEPS, Math.round(long / STEP)));
    const at = (s: number) => a.map((v, i) => v + s * (b[i]! - v));
    const dot = (s: number) => `${round(ax + s * (bx - ax))} ${round(ay + s * (by - ay))}`;
    let from: number | null = null;
    for (let i = 0; i <= n; i++) {
      const seen = i < n && !sight.hidden(at((i + 0.5) / n));
      if (seen && from === null) from = i / n;
      if (!seen && from !== null) {
        out.push(`M${dot(from)}L${dot(i / n)}`);
        from = null;
      }
    }
  }
  return out.join("");
}

const round = (v: number) => Number(v.toFixed(1));
const beside = (a: number, b: number, size: number) => (a < 0 && b < 0) || (a > size && b > size);

/** An SVG of several sets of segments, each with a width of its own, in ink. */
export function lineDrawing(sets: Segments[], sight: Sight, title: string): string {
  const paths = sets
    .map(({ points, width }) => ({ path: visiblePath(points, sight), width }))
    .filter(({ path }) => path !== "")
    .map(({ path, width }) => `<path stroke-width="${width}" d="${path}"/>`);
  const { width, height } = sight;
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}">`,
    `<title>${escaped(title)}</title>`,
    '<g fill="none" stroke="#22262b" stroke-linecap="round">',
    ...paths,
    "</g>",
    "</svg>",
  ].join("\n");
}

const escaped = (text: string) =>
  text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;");

/** The edges of triangles, each once, as segments; sides: which sides are edges of cells. */
export function edgeSegments(
  points: Float32Array,
  triangles: Int32Array,
  sides?: Uint8Array,
  wanted: (triangle: number) => boolean = () => true,
): Float32Array {
  const n = points.length / 3;
  const seen = new Set<number>();
  const out: number[] = [];
  for (let t = 0; t < triangles.length / 3; t++) {
    if (!wanted(t)) continue;
    for (let i = 0; i < 3; i++) {
      if (sides && !(sides[t]! & (1 << i))) continue;
      const a = triangles[3 * t + i]!;
      const b = triangles[3 * t + ((i + 1) % 3)]!;
      const key = a < b ? a * n + b : b * n + a;
      if (seen.has(key)) continue;
      seen.add(key);
      for (const v of [a, b]) out.push(points[3 * v]!, points[3 * v + 1]!, points[3 * v + 2]!);
    }
  }
  return new Float32Array(out);
}
