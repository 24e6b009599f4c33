import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { get, type Shape } from "../../api/client";
import { stateOf, useBench } from "../../bench/context";

export type QualityOfMetric = Shape<"QualityShape">;

/** One metric of the mesh that is shown: bars, worst cells, how many are beyond the limit. */
export function useQuality(metric: string, bars: number, worst: number) {
  const { variant } = useBench();
  const state = stateOf(variant, "volume");
  const judged = JSON.stringify([state.settings?.limits, state.settings?.own_limits]);
  return useQuery({
    queryKey: ["quality", variant.id, state.product, metric, bars, worst, judged],
    queryFn: () =>
      get<QualityOfMetric>(
        `variants/${variant.id}/quality?metric=${metric}&bars=${bars}&worst=${worst}`,
      ),
    enabled: state.product !== null,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    retry: false,
  });
}
