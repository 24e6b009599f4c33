/** What all parts of the bench share: the variant, the stage at hand, and reports by stage. */

import { createContext, useContext } from "react";
import type { Job, Lists, Metric, StageDescription } from "../api/client";
import type { Reports, StageState, Variant } from "../api/reports";
import { pairKey } from "../view/geometry";

export interface BenchContext {
  variant: Variant;
  stages: StageDescription[];
  lists: Lists;
  stage: string;
  job: Job | undefined;
  lastJob: Job | undefined;
  unit: string;
  /** live: only to see what the settings come to, not kept */
  run: (target: string, live?: boolean) => void;
  openStage: (stage: string) => void;
  show: (place: number[]) => void;
}

export const Context = createContext<BenchContext | null>(null);

export function useBench(): BenchContext {
  const value = useContext(Context);
  if (!value) throw new Error("outside of the bench");
  return value;
}

export function stateOf(variant: Variant, stage: string): StageState {
  const found = variant.stages.find((s) => s.stage === stage);
  if (!found) throw new Error(`no stage ${stage}`);
  return found;
}

export function reportOf<K extends keyof Reports>(variant: Variant, stage: K): Reports[K] | null {
  return stateOf(variant, stage).report as Reports[K] | null;
}

/** A metric by its key, whether or not this version knows it. */
export function metricOf(lists: Lists, key: string): Metric {
  return (
    lists.metrics.find((m) => m.key === key) ?? { key, label: key, unit: "", large_is_bad: true }
  );
}

/** Patch number of each face of the fluid, by the patches' report; -1 where there is none. */
/** Pairs of faces, by number, between which the mesh walks over the edge. */
export function seamsOf(variant: Variant): Set<string> {
  const pairs = reportOf(variant, "sizing")?.seams ?? [];
  const patch = pairs.length > 0 ? patchOfFace(variant) : [];
  return new Set(
    pairs.filter(([a, b]) => patch[a!] === patch[b!]).map(([a, b]) => pairKey(a!, b!)),
  );
}

export function patchOfFace(variant: Variant): number[] {
  const domain = reportOf(variant, "domain");
  const patches = reportOf(variant, "patches")?.patches ?? [];
  if (!domain) return [];
  const of = new Map<string, number>();
  patches.forEach((p, k) => {
    for (const face of p.faces) of.set(face, k);
  });
  return domain.faces.map((f) => of.get(f.id) ?? -1);
}

/** Condition of a stage for the strip: a running or failed job comes first. */
export function conditionOf(bench: BenchContext, stage: string): string {
  const state = stateOf(bench.variant, stage);
  if (bench.job && bench.job.state === "running" && bench.job.stage === stage) return "running";
  if (
    state.condition !== "current" &&
    bench.lastJob?.state === "failed" &&
    bench.lastJob.stage === stage
  )
    return "failed";
  return state.condition;
}
