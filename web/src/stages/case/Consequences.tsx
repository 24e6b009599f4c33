import type { Shape } from "../../api/client";
import { bytes, count, measure } from "../../parts/numbers";
import { reportOf, stateOf, useBench } from "../../study/context";
import { type Fact, FactTable } from "../../study/FactTable";
import { Proof } from "./Proof";
import { useForetold } from "./useForetold";
import { WorkBack } from "./WorkBack";

/** The mesh first, then what tells of it; the files of the patches last. */
const order = (name: string) => (name.includes("/") ? 2 : name.startsWith("mesh.") ? 0 : 1);

type Material = Shape<"MaterialShape">;

/** Zones that hold the same, together. */
function alike(materials: Material[]): { names: string[]; of: Material }[] {
  const out = new Map<string, { names: string[]; of: Material }>();
  for (const z of materials) {
    const key = `${z.material} ${z.density} ${z.viscosity}`;
    const held = out.get(key);
    if (held) held.names.push(z.name);
    else out.set(key, { names: [z.name], of: z });
  }
  return [...out.values()];
}

/** What the case comes to, and the export once it is made. */
export function CaseConsequences() {
  const { variant } = useBench();
  const state = stateOf(variant, "case");
  const report = reportOf(variant, "case");
  const current = state.condition === "current";
  const told = useForetold();
  // as the settings stand; y⁺ needs the mesh
  const figures = told.data ?? (current ? report : null);
  const rows: Fact[] = [
    ...alike(figures?.materials ?? []).flatMap(({ names, of }): Fact[] => [
      [
        `${names.length > 2 ? `${names.length} zones` : names.join(", ")}: ${of.material.replaceAll("_", " ")}`,
        `${measure(of.density, 4)} kg/m³`,
      ],
      ...(of.viscosity > 0 ? [["its viscosity", `${measure(of.viscosity, 4)} Pa·s`] as Fact] : []),
    ]),
    ...(figures?.inlets ?? []).flatMap((i): Fact[] => [
      [`Reynolds number, ${i.name}`, measure(i.reynolds, 3)],
      ["speed, mass flow", `${measure(i.speed, 3)} m/s, ${measure(i.mass_flow, 3)} kg/s`],
    ]),
    ...(current && report ? Object.entries(report.yplus ?? {}) : []).map(
      ([name, value]): Fact => [`y⁺ at ${name}, estimated`, measure(value, 2)],
    ),
  ];
  if (figures?.inlets.length === 0) rows.push(["Reynolds number", "nothing enters"]);
  return (
    <>
      {told.isError && (
        <p role="alert" className="mt-3 text-madder">
          ✕ {told.error.message}
        </p>
      )}
      <FactTable rows={rows} />
      <WorkBack inlets={figures?.inlets ?? []} />
      {current && report && (
        <div className="mt-4 border border-ink bg-sheet p-3">
          <p>
            <span className="text-verdigris">✓</span> {count(report.cells)} cells checked: closed,
            all volumes positive, every face on its patch.
          </p>
          {report.ready === false ? (
            <p role="alert" className="mt-2 text-madder">
              ✕ It cannot be handed over as it is: see the findings.
            </p>
          ) : (
            <a
              className="action mt-2.5 inline-block"
              href={`/api/variants/${variant.id}/export`}
              download
            >
              Export mesh and case
            </a>
          )}
          <p className="mt-2 text-[12px] text-soft">
            Every file was read back and says what was meant
            {report.ready === false ? "." : "; each can be had alone:"}
          </p>
          <ul className="mt-1 text-[12px] text-soft">
            {Object.entries(report.files)
              .sort(([a], [b]) => order(a) - order(b) || a.localeCompare(b))
              .map(([name, size]) => (
                <li key={name} className="flex justify-between gap-3">
                  {report.ready === false ? (
                    <span>{name}</span>
                  ) : (
                    <a
                      className="underline decoration-line hover:text-ink hover:decoration-ink"
                      href={`/api/variants/${variant.id}/export?file=${encodeURIComponent(name)}`}
                      download
                    >
                      {name}
                    </a>
                  )}
                  <span>{bytes(size)}</span>
                </li>
              ))}
          </ul>
        </div>
      )}
      <Proof />
    </>
  );
}
