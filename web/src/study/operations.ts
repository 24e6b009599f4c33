/** Small rules of the list of repairs. */

export function moved<T>(rows: T[], from: number, to: number): T[] {
  const out = [...rows];
  const [row] = out.splice(from, 1);
  if (row !== undefined) out.splice(to, 0, row);
  return out;
}

/** A thousandth of the model's diagonal, in two digits: what counts as safe at first. */
export function safeTolerance(low: number[], high: number[]): number {
  const size = Math.hypot(...high.map((v, k) => v - (low[k] ?? 0)));
  return Number((size * 1e-3).toPrecision(2));
}
