/** What the reports of the stages hold: the core's types, and what the page keeps beside them. */
import type { Shape } from "./client";

export type Reports = Shape<"Reports">;
export type SurfaceReport = Reports["surface"];
export type VolumeReport = Reports["volume"];
export type Face = Shape<"FaceRow">;
export type Feature = Shape<"FeatureRow">;
export type LogRow = Shape<"RepairRow">;
export type PatchRow = Shape<"PatchRow">;
export type Histogram = Shape<"Histogram">;

/** One entry of the list of repairs: what to do, whether it is on, and its settings. */
export interface Operation {
  do: string;
  on?: boolean;
  [name: string]: unknown;
}

type Told = Shape<"FindingRow">;

/** A finding as the core tells it, or one that the page makes itself from a refusal; earlier: told
 * of settings that were changed since, so that what it offers would take the change back. */
export type Finding = Pick<Told, "code" | "level" | "message" | "count" | "places" | "advice"> &
  Partial<Omit<Told, "repairs">> & {
    repairs?: { label: string; operation: Operation }[];
    earlier?: boolean;
  };

export interface Pin {
  name: string;
  at: number[];
  kind: "fluid" | "dry";
}

export interface PatchSetting {
  name: string;
  kind: string;
  faces: string[] | "rest";
}

/** What a stage gives for whoever asks not which stage it is. */
export type Given = "model" | "fluid" | "sizes" | "surface" | "mesh";

export interface StageState {
  stage: string;
  gives: string[];
  /** looking: what a running job shows of it before it is done */
  condition: "current" | "outdated" | "looking" | "none";
  settings: Record<string, unknown> | null;
  default: Record<string, unknown> | null;
  reasons: Record<string, string>;
  changed: string[];
  error: { code: string; message: string; blank: string | null; places: number[][] } | null;
  report: Record<string, unknown> | null;
  product: string | null;
}

export interface Variant {
  id: number;
  name: string;
  study: number;
  version: number;
  unit: string | null;
  can_undo: boolean;
  can_redo: boolean;
  stages: StageState[];
}
