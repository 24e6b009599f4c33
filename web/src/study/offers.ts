/** What the offer of a finding changes in the settings, by stage. */
import type { Operation, PatchSetting, Variant } from "../api/reports";
import { pattern } from "../parts/pattern";
import { stateOf } from "./context";

type Change = Record<string, Record<string, unknown>>;
type Row = Record<string, unknown>;

/** Other names for patches, wherever settings that were given by hand name them. */
export function withOtherNames(variant: Variant, names: Record<string, string>): Change {
  const out: Change = {};
  const patches = (stateOf(variant, "patches").settings?.patches ?? []) as PatchSetting[];
  out.patches = { patches: patches.map((p) => ({ ...p, name: names[p.name] ?? p.name })) };
  for (const { stage: key } of variant.stages) {
    if (key === "patches") continue;
    const state = stateOf(variant, key);
    for (const name of state.changed) {
      const rows = state.settings?.[name];
      if (!Array.isArray(rows) || !rows.some((r) => named(r, names))) continue;
      out[key] = { ...out[key], [name]: rows.map((r) => renamedRow(r as Row, names)) };
    }
  }
  return out;
}

const listed = (row: unknown): string[] => {
  const own = (row as Row | null)?.patches;
  return Array.isArray(own) ? (own as string[]) : [];
};
const named = (row: unknown, names: Record<string, string>) =>
  listed(row).some((name) => name in names);

function renamedRow(row: Row, names: Record<string, string>): Row {
  if (!named(row, names)) return row;
  return { ...row, patches: listed(row).map((name) => names[name] ?? name) };
}

const HEIGHTS = ["first", "total", "last", "yplus", "speed", "length", "viscosity", "along"];

/** Rows of layers with another first height on some walls, as many and growing as before there. */
export function withFirstHeights(rows: Row[], wanted: Row[]): Row[] {
  const own = wanted.map((w) => {
    const walls = listed(w);
    const now = rows.find((r) => walls.some((n) => listed(r).some((p) => pattern(p).test(n))));
    const kept = Object.fromEntries(
      Object.entries(now ?? { count: 8, growth: 1.2 }).filter(([k]) => !HEIGHTS.includes(k)),
    );
    return { ...kept, patches: walls, first: w.first };
  });
  const taken = new Set(own.flatMap((r) => r.patches));
  const rest = rows.flatMap((r) => {
    const left = listed(r).filter((n) => !taken.has(n));
    return left.length > 0 ? [{ ...r, patches: left }] : [];
  });
  return [...own, ...rest];
}

/** What an offer changes. */
export function changeOf(variant: Variant, operation: Operation): Change {
  if (operation.do === "keep_sizes") {
    const own = (stateOf(variant, "sizing").settings?.regions ?? []) as object[];
    return { sizing: { regions: [...own, ...(operation.rows as object[])] } };
  }
  if (operation.do === "set")
    return { [operation.stage as string]: operation.settings as Record<string, unknown> };
  if (operation.do === "rename")
    return withOtherNames(variant, operation.names as Record<string, string>);
  if (operation.do === "first_height") {
    const rows = (stateOf(variant, "layers").settings?.layers ?? []) as Row[];
    return { layers: { layers: withFirstHeights(rows, operation.rows as Row[]) } };
  }
  const list = (stateOf(variant, "geometry").settings?.repairs ?? []) as Operation[];
  return { geometry: { repairs: [...list, operation] } };
}

/** Where an offer changes something, in words. */
export function whereOf(operation: Operation): string {
  return (
    {
      keep_sizes: "adds these places to the regions of Sizing",
      set: "changes the settings above",
      rename: "changes the name in Patches and wherever it is used",
      first_height: "changes the rows of Layers; the mesh is then made anew",
    }[operation.do] ?? "adds this repair to the list above"
  );
}
