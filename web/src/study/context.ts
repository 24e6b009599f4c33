/** What all parts of the bench share: the variant, the stage at hand, and reports by stage. */

import { createContext, useContext } from "react";
import type { Job, Lists, Metric, StageDescription } from "../api/client";
import type { Given, Reports, StageState, Variant, VolumeReport } from "../api/reports";
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
  /** limits of colours by metric, where several meshes share them */
  scale?: Record<string, [number, number]>;
}

export const Context = createContext<BenchContext | null>(null);

export function useBench(): BenchContext {
  const value = useContext(Context);
  if (!value) throw new Error("outside of the bench");
  return value;
}

/** A stage's state; one that a study of its kind does not go through has nothing. */
export function stateOf(variant: Variant, stage: string): StageState {
  return (
    variant.stages.find((s) => s.stage === stage) ?? {
      stage,
      gives: [],
      condition: "none",
      settings: null,
      default: null,
      reasons: {},
      changed: [],
      error: null,
      report: null,
      product: null,
    }
  );
}

export function reportOf<K extends keyof Reports>(variant: Variant, stage: K): Reports[K] | null {
  return stateOf(variant, stage).report as Reports[K] | null;
}

/** The state of the stage that gives something, whichever that is: the last if several do. */
export function stateGiving(variant: Variant, what: Given): StageState {
  return variant.stages.filter((s) => s.gives.includes(what)).at(-1) ?? stateOf(variant, "");
}

/** The report of the mesh, by whatever stage it is made. */
export function meshOf(variant: Variant): VolumeReport | null {
  return stateGiving(variant, "mesh").report as VolumeReport | null;
}

/** A stage that a page names, by its key or by what it gives. */
export function stateNamed(variant: Variant, name: string): StageState {
  const own = variant.stages.find((s) => s.stage === name);
  return own ?? stateGiving(variant, name as Given);
}

/** A metric by its key, whether or not this version knows it. */
export function metricOf(lists: Lists, key: string): Metric {
  return (
    lists.metrics.find((m) => m.key === key) ??
    lists.surface_metrics.find((m) => m.key === key) ?? {
      key,
      label: key,
      unit: "",
      large_is_bad: true,
      of: "cell",
      meaning: "",
      ratio: false,
      judged: true,
    }
  );
}

/** Patch number of each face of the fluid, by the patches' report; -1 where there is none. */
/**
 * Whether the mesh walks over the edge between two faces, by number. Faces that are no neighbours in
 * the geometry meet in the mesh where a sliver between them was left out. Null where no edge is.
 */
export function seamsOf(variant: Variant): ((a: number, b: number) => boolean) | null {
  const patch = patchOfFace(variant);
  const pairs = (reportOf(variant, "sizing")?.seams ?? []).filter(
    ([a, b]) => patch[a!] === patch[b!],
  );
  if (pairs.length === 0) return null;
  const lead = patch.map((_, face) => face);
  const root = (face: number): number => {
    let at = face;
    while (lead[at] !== at) at = lead[at]!;
    lead[face] = at;
    return at;
  };
  for (const [a, b] of pairs) lead[root(a!)] = root(b!);
  const walked = new Set(pairs.map(([a, b]) => pairKey(a!, b!)));
  const links = reportOf(variant, "domain")?.links ?? [];
  const neighbours = new Set(links.map(([a, b]) => pairKey(a!, b!)));
  return (a, b) => {
    const key = pairKey(a, b);
    return walked.has(key) || (root(a) === root(b) && !neighbours.has(key));
  };
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

/** Zones that each face of the fluid bounds, by number; null where there is but one. */
export function zonesOf(variant: Variant): { ofFace: number[][]; count: number } | null {
  const domain = reportOf(variant, "domain");
  if (!domain?.zones || domain.zones.length < 2) return null;
  return { ofFace: domain.faces.map((f) => f.zones ?? []), count: domain.zones.length };
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
