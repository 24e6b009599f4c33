import { useMemo } from "react";
import { measure } from "../../parts/numbers";
import { reportOf, useBench } from "../../study/context";
import type { Section } from "../stage";

/** Bodies and faces of the part. */
export function useSections(): Section[] {
  const { variant, unit } = useBench();
  return useMemo(() => {
    const geometry = reportOf(variant, "geometry");
    const area = (a: number) => `${measure(a, 3)} ${unit}²`;
    if (!geometry) return [];
    return [
      {
        title: "Bodies",
        rows: geometry.bodies.map((b) => ({
          key: b.name,
          name: b.name,
          detail: b.solid ? `${measure(b.volume, 3)} ${unit}³` : "open sheet",
          regions: Array.isArray(b.faces) ? b.faces : [],
        })),
      },
      {
        title: "Faces",
        rows: geometry.faces.map((f, k) => ({
          key: f.id,
          name: f.name ? `${f.id} “${f.name}”` : `${f.id} ${f.surface}`,
          detail: area(f.area),
          regions: [k],
        })),
      },
    ];
  }, [variant, unit]);
}
