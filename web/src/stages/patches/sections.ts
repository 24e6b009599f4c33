import { useMemo } from "react";
import { useSettings } from "../../api/queries";
import type { PatchSetting } from "../../api/reports";
import { count, measure } from "../../parts/numbers";
import { meshOf, reportOf, stateOf, useBench } from "../../study/context";
import type { Row, Section } from "../stage";

/** The patches, which can be renamed here. */
function usePatchRows(): Row[] {
  const { variant, unit } = useBench();
  const settings = useSettings(variant.id);
  return useMemo(() => {
    const domain = reportOf(variant, "domain");
    if (!domain) return [];
    const area = (a: number) => `${measure(a, 3)} ${unit}²`;
    const patches = reportOf(variant, "patches")?.patches ?? [];
    const number = new Map(domain.faces.map((f, k) => [f.id, k]));
    const setting = (stateOf(variant, "patches").settings?.patches ?? []) as PatchSetting[];
    return patches.map((p, k) => ({
      key: p.name,
      name: p.name,
      detail: area(p.area),
      regions: p.faces.map((f) => number.get(f) ?? -1).filter((r) => r >= 0),
      swatch: { kind: p.kind, index: k },
      rename: (name) =>
        settings.mutate({
          patches: { patches: setting.map((s) => (s.name === p.name ? { ...s, name } : s)) },
        }),
    }));
  }, [variant, unit, settings.mutate]);
}

/** Patches, zones and faces of the fluid. */
export function useSections(): Section[] {
  const { variant, unit } = useBench();
  const rows = usePatchRows();
  return useMemo(() => {
    const domain = reportOf(variant, "domain");
    if (!domain) return [];
    const area = (a: number) => `${measure(a, 3)} ${unit}²`;
    const out: Section[] = [{ title: "Patches", rows }];
    if ((domain.zones ?? []).length > 1)
      out.push({
        title: "Zones",
        rows: domain.zones.map((z, k) => ({
          key: z.name,
          name: z.kind === "solid" ? `${z.name} (solid)` : z.name,
          detail: `${measure(z.volume, 3)} ${unit}³`,
          regions: domain.faces.flatMap((f, n) => (f.zones?.includes(k) ? [n] : [])),
        })),
      });
    out.push({
      title: "Faces of the fluid",
      rows: domain.faces.map((f, k) => ({
        key: f.id,
        name: f.id,
        detail: area(f.area),
        regions: [k],
      })),
    });
    return out;
  }, [variant, unit, rows]);
}

/** Patches and zones, for the stages after them. */
export function useMeshSections(): Section[] {
  const { variant, unit } = useBench();
  const rows = usePatchRows();
  return useMemo(() => {
    const domain = reportOf(variant, "domain");
    if (!domain) return [];
    const out: Section[] = [{ title: "Patches", rows }];
    const mesh = meshOf(variant);
    out.push({
      title: "Zones",
      rows: (domain.zones ?? []).map((z, k) => ({
        key: z.name,
        name: z.kind === "solid" ? `${z.name} (solid)` : z.name,
        detail:
          mesh && domain.zones.length === 1
            ? `${count(mesh.cells)} cells`
            : `${measure(z.volume, 3)} ${unit}³`,
        regions: domain.faces.flatMap((f, n) => (f.zones?.includes(k) ? [n] : [])),
      })),
    });
    return out;
  }, [variant, unit, rows]);
}
