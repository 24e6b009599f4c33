import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { get, type Shape } from "../../api/client";
import { useSettling } from "../../api/queries";
import { useBench } from "../../study/context";

export type LayersTold = Shape<"LayersTold">;
export type RowTold = Shape<"RowTold">;
export type FlowTold = Shape<"FlowTold">;

const TELLING = ["domain", "surface", "layers", "volume", "case"];

/** What the rows of layers come to as they stand: heights, and the flow past the walls. */
export function useLayersTold(): LayersTold | null {
  const { variant } = useBench();
  const settling = useSettling(variant.id);
  const states = variant.stages.filter(({ stage }) => TELLING.includes(stage));
  const told = useQuery({
    queryKey: [
      "layers foretold",
      variant.id,
      JSON.stringify(states.map((s) => [s.settings, s.product])),
    ],
    queryFn: () => get<LayersTold>(`variants/${variant.id}/layers/foretold`),
    // asked before the server knows the change, the answer would be that of before
    enabled: !settling,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return told.data ?? null;
}
