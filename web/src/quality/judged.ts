/** Whose quality is looked at: the cells of the mesh, or the triangles of its surface. */
import type { Lists, Metric } from "../api/client";
import type { SurfaceReport, VolumeReport } from "../api/reports";
import { KINDS } from "../study/colouring";
import { type BenchContext, stateGiving, stateOf } from "../study/context";

export interface Judged {
  of: "mesh" | "surface";
  report: VolumeReport | SurfaceReport | null;
  product: string | null;
  metrics: Metric[];
  /** what one of its pieces is called */
  thing: "cell" | "triangle";
}

/** At Surface its triangles, everywhere else the cells. */
export function judgedOf(
  bench: Pick<BenchContext, "variant" | "stage"> & { lists: Lists },
): Judged {
  const of = stateOf(bench.variant, bench.stage).gives.includes("surface") ? "surface" : "mesh";
  const { report, product } = stateGiving(bench.variant, of);
  return {
    of,
    report: report as Judged["report"],
    product,
    metrics: of === "surface" ? bench.lists.surface_metrics : bench.lists.metrics,
    thing: of === "surface" ? "triangle" : "cell",
  };
}

/** The metric that was chosen, or the first where this mesh has none such. */
export function metricShown({ of, report, metrics }: Judged, chosen: string): string {
  if (of === "mesh" && chosen in KINDS) return chosen;
  if (metrics.some((m) => m.key === chosen) && report?.quality[chosen]) return chosen;
  return metrics[0]?.key ?? chosen;
}
