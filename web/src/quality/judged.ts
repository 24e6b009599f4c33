/** Whose quality is looked at: the cells of the mesh, or the triangles of its surface. */
import type { Lists, Metric } from "../api/client";
import type { SurfaceReport, VolumeReport } from "../api/reports";
import { KINDS } from "../bench/colouring";
import { type BenchContext, reportOf, stateOf } from "../bench/context";

export interface Judged {
  stage: "volume" | "surface";
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
  const stage = bench.stage === "surface" ? "surface" : "volume";
  return {
    stage,
    report: reportOf(bench.variant, stage),
    product: stateOf(bench.variant, stage).product,
    metrics: stage === "surface" ? bench.lists.surface_metrics : bench.lists.metrics,
    thing: stage === "surface" ? "triangle" : "cell",
  };
}

/** The metric that was chosen, or the first where this mesh has none such. */
export function metricShown({ stage, report, metrics }: Judged, chosen: string): string {
  if (stage === "volume" && chosen in KINDS) return chosen;
  if (metrics.some((m) => m.key === chosen) && report?.quality[chosen]) return chosen;
  return metrics[0]?.key ?? chosen;
}
