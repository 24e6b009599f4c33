import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { get, type Shape } from "../api/client";
import { useSettling } from "../api/queries";
import { stateGiving, useBench } from "../study/context";

import type { Judged } from "./judged";

export type QualityOfMetric = Shape<"QualityShape">;

/** One metric of the mesh that is shown: bars, worst cells, how many are beyond the limit. */
export function useQuality(judged: Judged, metric: string, bars: number, worst: number) {
  const { variant } = useBench();
  const { of } = judged;
  const state = stateGiving(variant, of);
  // asked before the server knows other limits, the answer would be that of before
  const settling = useSettling(variant.id);
  const limits = JSON.stringify([state.settings?.limits, state.settings?.own_limits]);
  return useQuery({
    queryKey: ["quality", variant.id, of, state.product, metric, bars, worst, limits],
    queryFn: () =>
      get<QualityOfMetric>(
        `variants/${variant.id}/quality?stage=${of}&metric=${metric}&bars=${bars}&worst=${worst}`,
      ),
    enabled: state.product !== null && !settling,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    retry: false,
  });
}
