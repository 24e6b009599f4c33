import { useMemo } from "react";
import { useSettings } from "../../api/queries";
import { measure } from "../../parts/numbers";
import { reportOf, stateOf, useBench } from "../../study/context";
import type { Section } from "../stage";

/** Openings of the part to be ticked for closing, and sheets to be ticked for keeping. */
export function useSections(): Section[] {
  const { variant, unit } = useBench();
  const settings = useSettings(variant.id);
  return useMemo(() => {
    const geometry = reportOf(variant, "geometry");
    if (!geometry) return [];
    const own = stateOf(variant, "domain").settings;
    const closed = (own?.closed as string[] | undefined) ?? [];
    const inside = own?.where === "inside";
    const where =
      own?.where === "around" ? "The fluid is around the part" : "The part is the fluid";
    // those of the largest space first; ticking one must not move it
    const main = geometry.spaces[0]?.openings ?? [];
    const sorted = [...geometry.openings].sort(
      (a, b) => Number(main.includes(b.name)) - Number(main.includes(a.name)),
    );
    const kept = (own?.sheets as string[] | undefined) ?? [];
    const open = geometry.bodies.filter((b) => !b.solid);
    const sheets: Section = {
      title: "Sheets",
      note: "Kept as walls with two sides where they stand in the fluid.",
      rows: open.map((b) => {
        const ticked = kept.includes(b.name) || kept.includes("*");
        const others = open.map((o) => o.name).filter((n) => n !== b.name);
        const left = kept.includes("*") ? others : kept.filter((n) => n !== b.name);
        return {
          key: b.name,
          name: b.name,
          detail: `${measure(b.area, 3)} ${unit}²`,
          regions: [],
          verb: "keep",
          ticked,
          tick: () => settings.mutate({ domain: { sheets: ticked ? left : [...kept, b.name] } }),
        };
      }),
    };
    return [
      ...(open.length > 0 ? [sheets] : []),
      {
        title: "Openings",
        note: inside || !own ? undefined : `${where}: nothing is closed.`,
        rows: sorted.map((o) => ({
          key: o.name,
          name: o.name,
          detail: `⌀ ${measure(o.diameter, 3)} ${unit}`,
          regions: [],
          at: o.centre,
          ticked: closed.includes(o.name),
          tick: inside
            ? () =>
                settings.mutate({
                  domain: {
                    closed: closed.includes(o.name)
                      ? closed.filter((c) => c !== o.name)
                      : [...closed, o.name],
                  },
                })
            : undefined,
        })),
      },
    ];
  }, [variant, unit, settings.mutate]);
}
