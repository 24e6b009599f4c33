import type { BlankDescription } from "../api/client";

/** What each kind of blank gets: its description, its value, and what to do with a new one. */
export interface BlankProps {
  blank: BlankDescription;
  value: unknown;
  reason?: string;
  changed: boolean;
  wrong: boolean;
  change: (value: unknown) => void;
}

export function shownValue(value: unknown): string {
  return typeof value === "number" ? String(Number(value.toPrecision(10))) : String(value ?? "");
}
