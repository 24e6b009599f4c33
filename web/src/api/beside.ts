/** Changes that several people make of one variant at the same time. */
import type { QueryClient } from "@tanstack/react-query";
import { ApiError, type Shape } from "./client";
import type { Variant } from "./reports";

/** Settings by stage and name; null takes the derived value again. */
export type Change = Record<string, Record<string, unknown>>;
type Stale = Shape<"StaleShape">;

/** What others did to the same blanks, and what was to be written; nothing for undo and redo. */
export interface Clash {
  stale: Stale;
  change: Change | undefined;
}

/** The version of a variant that the page shows. */
export const versionOf = (client: QueryClient, variant: number): number | undefined =>
  client.getQueryData<Variant>(["variant", variant])?.version;

const namesOf = (change: Change) =>
  Object.entries(change).flatMap(([stage, own]) =>
    Object.keys(own).map((name) => `${stage}.${name}`),
  );

/** Save a change. Where others changed other blanks meanwhile, it goes on top of theirs; where they
 * changed the same ones, the refusal is thrown. */
export async function saveBeside(
  change: Change,
  version: number | undefined,
  save: (version: number | undefined) => Promise<Variant>,
): Promise<Variant> {
  const own = namesOf(change);
  let from = version;
  for (;;) {
    try {
      return await save(from);
    } catch (error) {
      const stale = error instanceof ApiError ? error.problem.stale : undefined;
      if (!stale || stale.version === from || own.some((name) => stale.blanks.includes(name)))
        throw error;
      from = stale.version;
    }
  }
}

/** Let the page say what clashed, and read what there is now. */
export function tellClash(
  client: QueryClient,
  variant: number,
  error: unknown,
  change?: Change,
): void {
  const stale = error instanceof ApiError ? error.problem.stale : undefined;
  if (!stale) return;
  client.setQueryData<Clash>(["clash", variant], { stale, change });
  client.invalidateQueries({ queryKey: ["variant", variant] });
}
