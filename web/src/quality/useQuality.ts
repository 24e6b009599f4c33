import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { get, type Shape } from "../api/client";
import { stateOf, useBench } from "../bench/context";

import type { Judged } from "./judged";

export type QualityOfMetric = Shape<"QualityShape">;

/** One metric of the mesh that is shown: bars, worst cells, how many are beyond the limit. */
export function useQuality(judged: Judged, metric: string, bars: number, worst: number) {
  const { variant } = useBench();
  const { stage } = judged;
  const state = stateOf(variant, stage);
  const limits = JSON.stringify([state.settings?.limits, state.settings?.own_limits]);
  return useQuery({
    queryKey: ["quality", variant.id, stage, state.product, metric, bars, worst, limits],
    queryFn: () =>
      get<QualityOfMetric>(
        `variants/${variant.id}/quality?stage=${stage}&metric=${metric}&bars=${bars}&worst=${worst}`,
      ),
    enabled: state.product !== null,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    retry: false,
  });
}
