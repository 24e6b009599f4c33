import { useSettings } from "../../api/queries";
import { bytes, count, duration, measure } from "../../parts/numbers";
import { reportOf, stateOf, useBench } from "../../study/context";
import { type Fact, FactTable } from "../../study/FactTable";

/** What the sizes will come to, before anything is meshed. */
export function SizingConsequences() {
  const { variant, unit, job } = useBench();
  const settings = useSettings(variant.id);
  const state = stateOf(variant, "sizing");
  const r = reportOf(variant, "sizing");
  const domain = reportOf(variant, "domain");
  const rows: Fact[] = [];
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
  const seams = r?.seams?.length ?? 0;
  const walks = Number(state.settings?.walk_over ?? 0) > 0;
  return (
    <>
      <FactTable rows={rows} />
      {r && state.condition === "current" && seams > 0 && (
        <p className="mt-2">
          {seams === 1 ? "One edge is" : `${count(seams)} edges are`} walked over: dotted in the
          model.
        </p>
      )}
      {state.settings && (seams > 0 || !walks) && (
        <button
          type="button"
          className="quiet mt-1 self-start px-1.5! py-0! text-[12px]"
          onClick={() => settings.mutate({ sizing: { walk_over: walks ? 0 : null } })}
        >
          {walks ? "Keep every edge" : "Walk over seams"}
        </button>
      )}
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
