import { reportOf, useBench } from "../../bench/context";
import { type Fact, FactTable } from "../../bench/FactTable";
import { count, measure } from "../../parts/numbers";

/** Counts and figures of the surface mesh. */
export function SurfaceConsequences() {
  const { variant, unit } = useBench();
  const r = reportOf(variant, "surface");
  if (!r) return null;
  const q = r.quality;
  return (
    <>
      <FactTable
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
          ...((r.rounds ?? 1) > 1 ? [["Meshed in rounds", count(r.rounds)] as Fact] : []),
        ]}
      />
      <p className="mt-2 text-soft">Good: no angle under 20°, edges 0.7 to 1.5 of those wanted.</p>
    </>
  );
}
