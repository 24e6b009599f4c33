/** Changes that several people make of one variant at the same time. */
import type { QueryClient } from "@tanstack/react-query";
import { ApiError, type Shape } from "./client";
import type { Variant } from "./reports";
import { mergedRows } from "./rows";

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

/** Stage and name of each blank that a change is about. */
const blanksOf = (change: Change): [string, string][] =>
  Object.entries(change).flatMap(([stage, own]) =>
    Object.keys(own).map((name): [string, string] => [stage, name]),
  );

const settingOf = (variant: Variant, stage: string, name: string) =>
  variant.stages.find((s) => s.stage === stage)?.settings?.[name];

/** A change with the rows of others in it, for blanks that are lists of rows; nothing where it
 * clashes with theirs all the same. */
function withRowsOf(
  theirs: Variant,
  blanks: [string, string][],
  change: Change,
  base: Variant,
): Change | undefined {
  const out: Change = { ...change };
  for (const [stage, name] of blanks) {
    const mine = change[stage]?.[name];
    const rows = mergedRows(settingOf(base, stage, name), mine, settingOf(theirs, stage, name));
    if (!rows) return undefined;
    out[stage] = { ...out[stage], [name]: rows };
  }
  return out;
}

/** Save a change that was made of a variant as it was before. Where others changed other blanks
 * meanwhile, or other rows of the same lists, it goes on top of theirs; where they changed the same
 * ones, the refusal is thrown. */
export async function saveBeside(
  change: Change,
  version: number | undefined,
  before: Variant | undefined,
  save: (change: Change, version: number | undefined) => Promise<Variant>,
  read: () => Promise<Variant>,
): Promise<Variant> {
  let [now, from, base] = [change, version, before];
  for (;;) {
    try {
      return await save(now, from);
    } catch (error) {
      const stale = error instanceof ApiError ? error.problem.stale : undefined;
      if (!stale || stale.version === from) throw error;
      const both = blanksOf(now).filter(([stage, name]) =>
        stale.blanks.includes(`${stage}.${name}`),
      );
      if (both.length === 0) {
        from = stale.version;
        continue;
      }
      const lists = both.every(([stage, name]) => Array.isArray(now[stage]?.[name]));
      if (!base || !lists) throw error;
      const theirs = await read();
      const merged = withRowsOf(theirs, both, now, base);
      if (!merged) throw error;
      [now, from, base] = [merged, theirs.version, theirs];
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
