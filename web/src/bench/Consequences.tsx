import type { ReactNode } from "react";
import { useSettings } from "../api/queries";
import type { Feature, Operation } from "../api/reports";
import { bytes, count, duration, measure } from "../parts/numbers";
import { useViewStore } from "../view/store";
import { reportOf, stateOf, useBench } from "./context";
import { featureRows } from "./features";
import { GeometryFiles } from "./GeometryFiles";
import { Quality } from "./Quality";

function Table({ rows }: { rows: [string, ReactNode][] }) {
  return (
    <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-4 border-t border-line pt-2">
      {rows.map(([words, value]) => (
        <div key={words} className="contents">
          <dt className="text-soft">{words}</dt>
          <dd className="text-right">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** What the settings come to, in numbers, under the sentences of the brief. */
export function Consequences() {
  const { variant, stage } = useBench();
  const writes = ["geometry", "domain", "surface"].includes(stage);
  return (
    <>
      <Numbers />
      {writes && stateOf(variant, stage).product && <GeometryFiles key={stage} />}
    </>
  );
}

function Numbers() {
  const { variant, stage, unit } = useBench();
  const condition = stateOf(variant, stage).condition;
  if (stage === "geometry") {
    const r = reportOf(variant, "geometry");
    if (!r) return null;
    return (
      <>
        <Table
          rows={[
            ["File", r.file],
            ["Unit", `${r.unit}${r.unit_known ? "" : ", not said by the file"}`],
            ["Overall size", `${r.size.map((s) => measure(s)).join(" × ")} ${unit}`],
            ["Volume of material", `${measure(r.volume, 6)} ${unit}³`],
            ["Area", `${measure(r.area, 6)} ${unit}²`],
            ["Bodies, faces", `${r.bodies.length}, ${count(r.faces.length)}`],
            ...(r.triangles ? [["Triangles", count(r.triangles)] as [string, string]] : []),
            ["Closed", <Closed key="closed" closed={r.closed} />],
          ]}
        />
        <Features features={r.features} />
        <p className="mt-2 text-soft">
          Is it the right size? If {measure(r.size[0] ?? 0)} {unit} cannot be right, the file was
          exported in another unit.
        </p>
      </>
    );
  }
  if (stage === "domain") {
    const r = reportOf(variant, "domain");
    const geometry = reportOf(variant, "geometry");
    const rows: [string, ReactNode][] = [];
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
    return rows.length ? <Table rows={rows} /> : null;
  }
  if (stage === "sizing") return <SizingConsequences />;
  if (stage === "surface") {
    const r = reportOf(variant, "surface");
    if (!r) return null;
    const q = r.quality;
    return (
      <>
        <Table
          rows={[
            ["Triangles", count(r.triangles)],
            ["Points", count(r.points)],
            ["Smallest angle", `${measure(q.smallest_angle!.min, 3)}°`],
            ["its mean", `${measure(q.smallest_angle!.mean, 3)}°`],
            ["Largest angle", `${measure(q.largest_angle!.max, 3)}°`],
            [
              "Edge over wanted edge",
              `${measure(q.edge_ratio!.min, 2)} to ${measure(q.edge_ratio!.max, 3)}`,
            ],
            ["Encloses", `${measure(r.volume, 6)} ${unit}³`],
            [
              "against CAD",
              `${r.volume_error >= 0 ? "+" : "−"}${measure(100 * Math.abs(r.volume_error), 2)} %`,
            ],
          ]}
        />
        <p className="mt-2 text-soft">
          Good: no angle under 20°, edges 0.7 to 1.5 of those wanted.
        </p>
      </>
    );
  }
  if (stage === "volume") {
    const r = reportOf(variant, "volume");
    return r ? (
      <>
        <Table
          rows={[
            ["Tetrahedra", count(r.cells)],
            ["Points", count(r.points)],
            ["Volume", `${measure(r.volume, 6)} ${unit}³`],
          ]}
        />
        <Quality report={r} />
      </>
    ) : null;
  }
  if (stage === "case") return <CaseConsequences />;
  return null;
}

function SizingConsequences() {
  const { variant, unit, job } = useBench();
  const state = stateOf(variant, "sizing");
  const r = reportOf(variant, "sizing");
  const domain = reportOf(variant, "domain");
  const rows: [string, ReactNode][] = [];
  if (domain && state.settings) {
    const largest = state.settings.largest as number;
    rows.push([
      "Passage width in largest edges",
      measure((4 * domain.volume) / domain.area / largest, 3),
    ]);
  }
  if (r && state.condition === "current") {
    rows.push(["Forecast, cells", `≈ ${measure(r.forecast.cells, 3)}`]);
    rows.push(["Forecast, wall triangles", `≈ ${measure(r.forecast.triangles, 3)}`]);
    rows.push(["Forecast, memory", bytes(r.forecast.memory)]);
    rows.push(["Forecast, time to mesh", duration(r.forecast.seconds)]);
    rows.push(["Edges on walls", `${measure(r.edge.min, 3)} to ${measure(r.edge.max, 3)} ${unit}`]);
  }
  return (
    <>
      <Table rows={rows} />
      {state.condition !== "current" && (
        <p className="mt-2 text-soft">
          {job?.target === "sizing"
            ? "Counting what these sizes will make …"
            : "Lay out the sizes to see how many cells they will make."}
        </p>
      )}
    </>
  );
}

const FILES = ["mesh.cgns", "mesh.vtu", "case.yaml", "report.json", "README.txt"];
const order = (name: string) => (FILES.includes(name) ? FILES.indexOf(name) : FILES.length);

const METRES: Record<string, number> = {
  mm: 1e-3,
  cm: 1e-2,
  m: 1,
  in: 0.0254,
  ft: 0.3048,
  µm: 1e-6,
};

function CaseConsequences() {
  const { variant, unit } = useBench();
  const state = stateOf(variant, "case");
  const own = state.settings as Record<string, number> | null;
  const patches = reportOf(variant, "patches")?.patches ?? [];
  const report = reportOf(variant, "case");
  const scale = METRES[unit] ?? 1;
  const rows: [string, ReactNode][] = [];
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
      <Table rows={rows} />
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

function Closed({ closed }: { closed: boolean }) {
  return closed ? (
    <span className="text-verdigris">✓ yes</span>
  ) : (
    <span className="text-madder">✕ not yet</span>
  );
}

const FEATURE_WORDS: Record<string, [string, string, string]> = {
  hole: ["hole", "holes", "⌀"],
  boss: ["boss", "bosses", "⌀"],
  mark: ["engraved mark", "engraved marks", ""],
  fillet: ["fillet", "fillets", "r"],
};

/** Features that the flow may not need, by kind and size; a click offers their removal. */
function Features({ features }: { features: Feature[] }) {
  const { variant, unit } = useBench();
  const settings = useSettings(variant.id);
  const rows = featureRows(features ?? []);
  if (rows.length === 0) return null;
  const remove = (kind: string, size: number) => {
    const list = (stateOf(variant, "geometry").settings?.repairs ?? []) as Operation[];
    const below = Number((size * 1.01).toPrecision(3));
    settings.mutate({ geometry: { repairs: [...list, { do: "remove", on: true, kind, below }] } });
  };
  const select = (faces: string[]) => {
    const number = new Map((reportOf(variant, "geometry")?.faces ?? []).map((f, k) => [f.id, k]));
    useViewStore
      .getState()
      .setSelected(faces.map((f) => number.get(f) ?? -1).filter((n) => n >= 0));
  };
  return (
    <details className="mt-2 border-t border-line pt-1.5">
      <summary className="cursor-pointer">
        Features the flow may not need ({count(features.length)})
      </summary>
      <ul>
        {rows.map((row) => {
          const [one, many, sign] = FEATURE_WORDS[row.kind] ?? [row.kind, row.kind, ""];
          return (
            <li key={`${row.kind} ${row.size}`} className="flex items-center gap-1.5 py-0.5">
              <button
                type="button"
                className="min-w-0 flex-1 text-left hover:underline"
                onClick={() => select(row.faces)}
              >
                {row.count} {row.count === 1 ? one : many} {sign} {measure(row.size, 3)} {unit}
              </button>
              <button
                type="button"
                className="quiet px-1.5! py-0!"
                title={`remove all ${many} up to this size`}
                onClick={() => remove(row.kind, row.size)}
              >
                remove up to this
              </button>
            </li>
          );
        })}
      </ul>
    </details>
  );
}
