import { reportOf, stateOf, useBench } from "../../bench/context";
import { type Fact, FactTable } from "../../bench/FactTable";
import { bytes, count, measure } from "../../parts/numbers";

/** The mesh first, then what tells of it; the files of the patches last. */
const order = (name: string) => (name.includes("/") ? 2 : name.startsWith("mesh.") ? 0 : 1);

/** Reynolds numbers, and the export once it is made. */
export function CaseConsequences() {
  const { variant, unit, lists } = useBench();
  const state = stateOf(variant, "case");
  const own = state.settings as Record<string, number> | null;
  const patches = reportOf(variant, "patches")?.patches ?? [];
  const report = reportOf(variant, "case");
  const scale = (lists.units.find((u) => u.key === unit)?.mm ?? 1000) / 1000;
  const rows: Fact[] = [];
  if (own) {
    for (const p of patches.filter((q) => q.kind === "inlet")) {
      // the width of a circle of that area, until the mesh gives the hydraulic diameter
      const meshed = report?.inlets.find((i) => i.name === p.name);
      const width = meshed?.hydraulic_diameter ?? 2 * Math.sqrt((p.area * scale * scale) / Math.PI);
      const re = ((own.density ?? 0) * Math.abs(own.velocity ?? 0) * width) / (own.viscosity ?? 1);
      rows.push([`Reynolds number, ${p.name}`, measure(re, 3)]);
      rows.push(["on the width", `${measure(width / scale, 3)} ${unit}`]);
    }
  }
  if (rows.length === 0) rows.push(["Reynolds number", "no inlet"]);
  return (
    <>
      <FactTable rows={rows} />
      {report && state.condition === "current" && (
        <div className="mt-4 border border-ink bg-sheet p-3">
          <p>
            <span className="text-verdigris">✓</span> {count(report.cells)} cells checked: closed,
            all volumes positive, every face on its patch.
          </p>
          <a
            className="action mt-2.5 inline-block"
            href={`/api/variants/${variant.id}/export`}
            download
          >
            Export mesh and case
          </a>
          <ul className="mt-2 text-[12px] text-soft">
            {Object.entries(report.files)
              .sort(([a], [b]) => order(a) - order(b) || a.localeCompare(b))
              .map(([name, size]) => (
                <li key={name} className="flex justify-between">
                  <span>{name}</span>
                  <span>{bytes(size)}</span>
                </li>
              ))}
          </ul>
        </div>
      )}
    </>
  );
}
