import { reportOf, useBench } from "../../bench/context";
import { type Fact, FactTable } from "../../bench/FactTable";
import { count, measure } from "../../parts/numbers";
import { SurfaceQuality } from "./SurfaceQuality";

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
      <SurfaceQuality report={r} />
      <p className="mt-2 text-soft">Good: no angle under 20°, edges 0.7 to 1.5 of those wanted.</p>
    </>
  );
}
