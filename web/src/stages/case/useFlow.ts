import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { get, type Shape } from "../../api/client";
import { useJobs } from "../../api/queries";
import { stateOf, useBench } from "../../study/context";

export type ProofReport = Shape<"ProofReport">;
export type FieldRow = Shape<"FieldRow">;

export interface FlowState {
  condition: "current" | "outdated" | "looking" | "none";
  product: string | null;
  report: ProofReport | null;
}

/** The flow on what this variant hands over, as far as it is computed. */
export function useFlow(): FlowState | undefined {
  const { variant, stage } = useBench();
  const jobs = useJobs();
  const own = (jobs.data ?? []).filter((j) => j.variant === variant.id && j.target === "flow");
  const last = own.at(-1);
  const handed = stateOf(variant, "case");
  const stamp = `${handed.product} ${handed.condition} ${last?.id} ${last?.state} ${last?.looks}`;
  return useQuery({
    queryKey: ["flow", variant.id, stamp],
    queryFn: () => get<FlowState>(`variants/${variant.id}/flow`),
    enabled: stage === "case",
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 20_000,
    placeholderData: (before, query) =>
      query?.queryKey[1] === variant.id ? keepPreviousData(before) : undefined,
  }).data;
}

/** The field that the model is coloured by, if the flow that is shown has it. */
export function fieldShown(flow: FlowState | undefined, key: string | null): FieldRow | null {
  if (flow?.condition !== "current" && flow?.condition !== "outdated") return null;
  return flow.report?.fields.find((f) => f.key === key) ?? null;
}
