import { count, measure } from "../../parts/numbers";
import { reportOf, stateOf, useBench } from "../../study/context";
import { type Fact, FactTable } from "../../study/FactTable";

/** What the fluid comes to. */
export function DomainConsequences() {
  const { variant, unit } = useBench();
  const condition = stateOf(variant, "domain").condition;
  const r = reportOf(variant, "domain");
  const geometry = reportOf(variant, "geometry");
  const rows: Fact[] = [];
  if (geometry && stateOf(variant, "domain").settings?.where === "inside") {
    rows.push(["Openings found", count(geometry.openings.length)]);
    rows.push(["Closed spaces", count(geometry.spaces.length)]);
  }
  if (r) {
    const old = condition === "current" ? "" : " (before)";
    rows.push([`Fluid volume${old}`, `${measure(r.volume, 6)} ${unit}³`]);
    rows.push([`Wetted area${old}`, `${measure(r.area, 6)} ${unit}²`]);
    rows.push(["Passage width 4V/A", `${measure((4 * r.volume) / r.area, 3)} ${unit}`]);
    rows.push(["Size", `${r.size.map((s) => measure(s, 3)).join(" × ")} ${unit}`]);
    if ((r.zones ?? []).length > 1)
      for (const z of r.zones)
        rows.push([`${z.name}, ${z.kind}`, `${measure(z.volume, 5)} ${unit}³`]);
  }
  return rows.length ? <FactTable rows={rows} /> : null;
}
