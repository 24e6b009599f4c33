/** All that one can go to by name: actions, stages, patches, zones, findings, settings, views. */
import type { Finding } from "../api/reports";
import type { BenchContext } from "../study/context";
import { reportOf, stateOf } from "../study/context";

export interface Target {
  key: string;
  group: "action" | "stage" | "patch" | "zone" | "finding" | "setting" | "view" | "variant";
  label: string;
  /** said beside it */
  hint: string;
  go: () => void;
}

export interface Acts {
  open: (stage: string) => void;
  run: (stage: string) => void;
  select: (regions: number[]) => void;
  show: (at: number[]) => void;
  focus: (stage: string, label: string) => void;
}

/** Numbers of the fluid's faces that a patch has, or that a zone borders on. */
function regionsOf(
  bench: BenchContext,
  wanted: (face: { id: string; zones?: number[] }) => boolean,
) {
  const faces = reportOf(bench.variant, "domain")?.faces ?? [];
  return faces.flatMap((face, k) => (wanted(face) ? [k] : []));
}

export function targetsOf(bench: BenchContext, acts: Acts): Target[] {
  const { variant, stages } = bench;
  const out: Target[] = [];
  for (const [k, stage] of stages.entries()) {
    out.push({
      key: `stage ${stage.key}`,
      group: "stage",
      label: stage.title,
      hint: `key ${k + 1}`,
      go: () => acts.open(stage.key),
    });
    if (stateOf(variant, stage.key).condition !== "current")
      out.push({
        key: `run ${stage.key}`,
        group: "action",
        label: stage.action,
        hint: `run to ${stage.title}`,
        go: () => acts.run(stage.key),
      });
  }
  for (const patch of reportOf(variant, "patches")?.patches ?? [])
    out.push({
      key: `patch ${patch.name}`,
      group: "patch",
      label: patch.name,
      hint: patch.kind.replace("_", " "),
      go: () => acts.select(regionsOf(bench, (face) => patch.faces.includes(face.id))),
    });
  for (const [k, zone] of (reportOf(variant, "domain")?.zones ?? []).entries())
    out.push({
      key: `zone ${zone.name}`,
      group: "zone",
      label: zone.name,
      hint: zone.kind,
      go: () => acts.select(regionsOf(bench, (face) => (face.zones ?? []).includes(k))),
    });
  for (const stage of stages) {
    const state = stateOf(variant, stage.key);
    const report = state.report as { findings?: Finding[] } | null;
    if (state.condition === "current")
      for (const [k, finding] of (report?.findings ?? []).entries())
        out.push({
          key: `finding ${stage.key} ${k}`,
          group: "finding",
          label: finding.message,
          hint: stage.title,
          go: () => {
            acts.open(stage.key);
            if (finding.places[0]) acts.show(finding.places[0]);
          },
        });
    const inSentences = stage.sentences.map((s) => s.text).join(" ");
    for (const blank of stage.blanks)
      if (inSentences.includes(`{${blank.name}}`))
        out.push({
          key: `setting ${stage.key} ${blank.name}`,
          group: "setting",
          label: blank.label,
          hint: stage.title,
          go: () => acts.focus(stage.key, blank.label),
        });
  }
  return out;
}

const MOST = 12;

/** Targets whose words hold every word asked for; those that begin with them first. */
export function found(targets: Target[], asked: string): Target[] {
  const words = asked.toLowerCase().split(/\s+/).filter(Boolean);
  const scored = targets.flatMap((target) => {
    const label = target.label.toLowerCase();
    const all = `${label} ${target.hint.toLowerCase()} ${target.group}`;
    if (!words.every((w) => all.includes(w))) return [];
    const begins = label.startsWith(words.join(" ")) ? 0 : label.includes(words[0] ?? "") ? 1 : 2;
    return [{ target, begins }];
  });
  return scored
    .sort((a, b) => a.begins - b.begins)
    .slice(0, MOST)
    .map(({ target }) => target);
}
