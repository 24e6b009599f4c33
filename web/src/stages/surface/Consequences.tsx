import { count, measure } from "../../parts/numbers";
import { Quality } from "../../quality/Quality";
import { reportOf, useBench } from "../../study/context";
import { type Fact, FactTable } from "../../study/FactTable";

/** Counts and figures of the surface mesh. */
export function SurfaceConsequences() {
  const { variant, unit } = useBench();
  const r = reportOf(variant, "surface");
  if (!r) return null;
  return (
    <>
      <FactTable
        rows={[
          ["Triangles", count(r.triangles)],
          ["Points", count(r.points)],
          ["Encloses", `${measure(r.volume, 6)} ${unit}³`],
          [
            "against CAD",
            `${r.volume_error >= 0 ? "+" : "−"}${measure(100 * Math.abs(r.volume_error), 2)} %`,
          ],
          ...((r.rounds ?? 1) > 1 ? [["Meshed in rounds", count(r.rounds)] as Fact] : []),
        ]}
      />
      <Quality />
    </>
  );
}
