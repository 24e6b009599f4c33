import { useMemo } from "react";
import { useSettings } from "../../api/queries";
import { reportOf, stateOf, useBench } from "../../bench/context";
import { measure } from "../../parts/numbers";
import type { Section } from "../stage";

/** Openings of the part, to be ticked for closing. */
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
    return [
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
