/** Patches as sets of faces: who belongs where, splitting, merging, renaming by pattern. */
import type { Face, PatchRow, PatchSetting } from "../api/reports";
import { pattern } from "../parts/pattern";
import { reference, refName } from "./references";

/**
 * Names of the faces of each patch. What the server settled is used where the setting is the same;
 * else names and patterns are looked up here, until it has settled them anew.
 */
export function membersOf(patches: PatchSetting[], faces: Face[], settled: PatchRow[]): string[][] {
  const known = new Set(faces.map((f) => f.id));
  const out = patches.map((p) => {
    if (p.faces === "rest") return [];
    const own = settled.find((s) => s.name === p.name);
    const found = p.faces.flatMap((text) => {
      const name = refName(text);
      if (name.includes("*")) return faces.map((f) => f.id).filter((id) => pattern(name).test(id));
      return known.has(name) ? [name] : [];
    });
    // a reference by place alone is known to the server only
    return found.length < p.faces.length && own ? [...new Set([...found, ...own.faces])] : found;
  });
  const taken = new Set(out.flat());
  const left = faces.map((f) => f.id).filter((id) => !taken.has(id));
  return out.map((o, k) => (patches[k]!.faces === "rest" ? left : o));
}

/** Faces in groups that hang together over edges no sharper than the angle. */
export function groupsByAngle(
  faces: Face[],
  links: number[][],
  members: string[],
  angle: number,
): string[][] {
  const parent = new Map(members.map((m) => [m, m]));
  const root = (m: string): string => {
    const p = parent.get(m)!;
    return p === m ? m : root(p);
  };
  for (const [a = 0, b = 0, turn = 0] of links) {
    const [x, y] = [faces[a]?.id ?? "", faces[b]?.id ?? ""];
    if (turn <= angle && parent.has(x) && parent.has(y)) parent.set(root(y), root(x));
  }
  const groups = new Map<string, string[]>();
  for (const m of members) groups.set(root(m), [...(groups.get(root(m)) ?? []), m]);
  return [...groups.values()];
}

/** Faces in two groups, on both sides of the middle of all of them along an axis. */
export function groupsByPlane(faces: Face[], members: string[], axis: number): string[][] {
  const at = new Map(faces.map((f) => [f.id, f.centre[axis] ?? 0]));
  const values = members.map((m) => at.get(m) ?? 0);
  const middle = 0.5 * (Math.min(...values) + Math.max(...values));
  return [
    members.filter((m) => (at.get(m) ?? 0) <= middle),
    members.filter((m) => (at.get(m) ?? 0) > middle),
  ].filter((g) => g.length > 0);
}

const refs = (ids: string[], faces: Face[]) =>
  ids.map((id) => reference(id, faces.find((f) => f.id === id)?.at));

/** One patch as several: the first group keeps its name, the others get numbers. */
export function splitPatch(
  patches: PatchSetting[],
  k: number,
  groups: string[][],
  faces: Face[],
): PatchSetting[] {
  const patch = patches[k]!;
  if (groups.length < 2) return patches;
  const taken = patches.map((p) => p.name.toLowerCase());
  const made = groups.slice(1).map((ids) => {
    let n = 2;
    while (taken.includes(`${patch.name}_${n}`.toLowerCase())) n += 1;
    const name = `${patch.name}_${n}`;
    taken.push(name.toLowerCase());
    return { name, kind: patch.kind, faces: refs(ids, faces) };
  });
  const first = { ...patch, faces: patch.faces === "rest" ? patch.faces : refs(groups[0]!, faces) };
  return [...patches.slice(0, k), first, ...made, ...patches.slice(k + 1)];
}

/** A patch's faces given to another; the patch itself goes. */
export function mergePatches(
  patches: PatchSetting[],
  k: number,
  into: string,
  faces: Face[],
  members: string[][],
): PatchSetting[] {
  return patches
    .map((p) =>
      p.name === into && p.faces !== "rest"
        ? { ...p, faces: [...p.faces, ...refs(members[k] ?? [], faces)] }
        : p,
    )
    .filter((_, i) => i !== k);
}

/** Names that fit a pattern changed to another; what * stood for is kept. */
export function renamed(patches: PatchSetting[], from: string, to: string): PatchSetting[] {
  if (!from.trim() || !to.trim()) return patches;
  const fits = pattern(from.trim());
  return patches.map((p) => {
    const found = fits.exec(p.name);
    if (!found) return p;
    let k = 0;
    return { ...p, name: to.trim().replace(/\*/g, () => found[++k] ?? "") };
  });
}
