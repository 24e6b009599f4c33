import type { Feature } from "../../api/reports";

/** Features of one kind and size as one row. */
export function featureRows(
  features: Feature[],
): { kind: string; size: number; count: number; faces: string[] }[] {
  const rows = new Map<string, { kind: string; size: number; count: number; faces: string[] }>();
  for (const f of features) {
    const key = `${f.kind} ${f.size.toPrecision(4)}`;
    const row = rows.get(key) ?? { kind: f.kind, size: f.size, count: 0, faces: [] };
    row.count += 1;
    row.faces.push(...f.faces);
    rows.set(key, row);
  }
  return [...rows.values()];
}
