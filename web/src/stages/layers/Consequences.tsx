import { count, measure } from "../../parts/numbers";
import { reportOf, stateOf, useBench } from "../../study/context";
import { FactTable } from "../../study/FactTable";

const percent = (share: number) =>
  share > 0.999 && share < 1 ? "99.9 %" : `${measure(100 * share, 3)} %`;

/** What grew: cells, and for each patch how much of it all layers cover. */
export function LayersConsequences() {
  const { variant, unit } = useBench();
  const r = reportOf(variant, "layers");
  const asked = (stateOf(variant, "layers").settings?.layers ?? []) as object[];
  // what a patch is called may have changed since
  const named = reportOf(variant, "patches")?.patches ?? [];
  const nameOf = (p: { name: string; faces?: string[] }) =>
    named.find((q) => p.faces?.[0] !== undefined && q.faces.includes(p.faces[0]))?.name ?? p.name;
  if (!r) return null;
  if (asked.length === 0 && r.patches.length === 0)
    return (
      <p className="mt-2 text-soft">
        No layers: the volume is filled from the walls on. Ask for some where drag, heat or
        separation count.
      </p>
    );
  return (
    <>
      <FactTable rows={[["Cells in layers", count(r.cells)]]} />
      {r.patches.map((p) => (
        <figure key={p.name} className="mt-3">
          <figcaption className="flex justify-between">
            <b>{nameOf(p)}</b>
            <span className="text-soft">
              {p.count} layers, {measure(p.first, 3)} to {measure(p.last, 3)}, all{" "}
              {measure(p.total, 3)} {unit}
            </span>
          </figcaption>
          <div
            className="mt-1 flex h-3 border border-ink"
            role="img"
            aria-label={`${nameOf(p)}: all layers on ${percent(p.full)}, some on ${percent(p.some)}, none on ${percent(p.none)}`}
          >
            <span className="bg-verdigris" style={{ width: `${100 * (p.full - p.lowered)}%` }} />
            <span className="bg-verdigris/55" style={{ width: `${100 * p.lowered}%` }} />
            <span className="bg-ochre" style={{ width: `${100 * p.some}%` }} />
            <span className="bg-madder" style={{ width: `${100 * p.none}%` }} />
          </div>
          <p className="text-[12px] text-soft">
            <Colour of="bg-verdigris" /> all on {percent(p.full)}
            {p.lowered > 0.0005 && (
              <>
                , <Colour of="bg-verdigris/55" /> of which {percent(p.lowered / p.full)} lowered
              </>
            )}
            {p.some > 0.0005 && (
              <>
                ; <Colour of="bg-ochre" /> some on {percent(p.some)}
              </>
            )}
            {p.none > 0.0005 && (
              <>
                ; <Colour of="bg-madder" /> none on {percent(p.none)}
              </>
            )}
          </p>
        </figure>
      ))}
    </>
  );
}

/** A colour of the model and the bar, beside its words. */
function Colour({ of }: { of: string }) {
  return <span aria-hidden="true" className={`inline-block size-2.5 border border-ink ${of}`} />;
}
