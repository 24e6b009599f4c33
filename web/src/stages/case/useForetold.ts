import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { get, type Shape } from "../../api/client";
import { useSettling } from "../../api/queries";
import type { Finding } from "../../api/reports";
import { reportOf, stateOf, useBench } from "../../study/context";

/** What the case comes to as its settings stand, before it is run. */
export function useForetold() {
  const { variant } = useBench();
  const state = stateOf(variant, "case");
  const settling = useSettling(variant.id);
  const settled = reportOf(variant, "patches") !== null && state.settings !== null;
  return useQuery({
    queryKey: [
      "foretold",
      variant.id,
      JSON.stringify(state.settings),
      stateOf(variant, "patches").product,
      state.product,
    ],
    queryFn: () => get<Shape<"ForetoldShape">>(`variants/${variant.id}/case`),
    // asked before the server knows the change, the answer would be that of before
    enabled: settled && state.error === null && !settling,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    retry: false,
  });
}

/** What does not fit, told at once while the case is not up to date. */
export function useForetoldFindings(): Finding[] {
  const { variant } = useBench();
  const told = useForetold();
  if (stateOf(variant, "case").condition === "current") return [];
  const findings = (told.data?.findings ?? []) as unknown as Finding[];
  return findings.map((f) => ({ ...f, earlier: told.isPlaceholderData }));
}
