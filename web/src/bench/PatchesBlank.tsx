import { useEffect, useState } from "react";
import type { PatchSetting } from "../api/reports";
import { PatchSwatch } from "../parts/Sign";
import { useViewStore } from "../view/store";
import { reportOf, useBench } from "./context";

const KINDS = ["inlet", "outlet", "wall", "symmetry"];

/** Take faces off every patch they are on, and put them on one. */
export function moveFaces(patches: PatchSetting[], faces: string[], to: number): PatchSetting[] {
  return patches.map((p, k) => {
    if (p.faces === "rest") return p;
    const kept = p.faces.filter((f) => !faces.includes(f));
    return { ...p, faces: k === to ? [...kept, ...faces] : kept };
  });
}

export function freeName(patches: PatchSetting[], stem: string): string {
  let n = 1;
  while (patches.some((p) => p.name.toLowerCase() === `${stem}_${n}`)) n += 1;
  return `${stem}_${n}`;
}

export function PatchesBlank({
  value,
  changed,
  reason,
  change,
}: {
  value: PatchSetting[];
  changed: boolean;
  reason?: string;
  change: (value: unknown) => void;
}) {
  const { variant } = useBench();
  const selected = useViewStore((s) => s.selected);
  const setSelected = useViewStore((s) => s.setSelected);
  const faces = reportOf(variant, "domain")?.faces ?? [];
  const ids = selected.map((r) => faces[r]?.id).filter((f): f is string => Boolean(f));
  const owned = new Set(value.flatMap((p) => (p.faces === "rest" ? [] : p.faces)));
  const rest = faces.filter((f) => !owned.has(f.id)).length;
  const many = (n: number) => (n === 1 ? "1 face" : `${n} faces`);
  return (
    <div className="mt-1 font-sans text-[13px] leading-normal">
      <ul className="border-t border-line">
        {value.map((patch, k) => {
          const numbers = faces
            .map((f, r) => [f.id, r] as const)
            .filter(([f]) => (patch.faces === "rest" ? !owned.has(f) : patch.faces.includes(f)))
            .map(([, r]) => r);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows are told apart by their place
            <li key={k} className="border-b border-line py-1.5">
              <span className="flex items-center gap-1.5">
                <PatchSwatch kind={patch.kind} index={k} />
                <NameInput
                  name={patch.name}
                  changed={changed}
                  change={(name) => change(value.map((p, i) => (i === k ? { ...p, name } : p)))}
                />
                <select
                  aria-label={`kind of ${patch.name}`}
                  className="blank"
                  value={patch.kind}
                  onChange={(e) =>
                    change(value.map((p, i) => (i === k ? { ...p, kind: e.target.value } : p)))
                  }
                >
                  {KINDS.map((kind) => (
                    <option key={kind}>{kind}</option>
                  ))}
                </select>
              </span>
              <span className="mt-1 flex items-center gap-1.5 pl-6 text-soft">
                <button
                  type="button"
                  className="hover:text-ink hover:underline"
                  onClick={() => setSelected(numbers)}
                >
                  {patch.faces === "rest"
                    ? `all the rest, ${many(rest)}`
                    : many(patch.faces.length)}
                </button>
                <span className="flex-1" />
                {ids.length > 0 && patch.faces !== "rest" && (
                  <button
                    type="button"
                    className="quiet text-ink"
                    onClick={() => change(moveFaces(value, ids, k))}
                  >
                    Put selection here
                  </button>
                )}
                {ids.length > 0 && patch.faces === "rest" && (
                  <button
                    type="button"
                    className="quiet text-ink"
                    onClick={() => change(moveFaces(value, ids, -1))}
                  >
                    Give selection back
                  </button>
                )}
                {patch.faces !== "rest" && (
                  <button
                    type="button"
                    className="hover:text-madder"
                    aria-label={`remove patch ${patch.name}`}
                    onClick={() => change(value.filter((_, i) => i !== k))}
                  >
                    ✕
                  </button>
                )}
              </span>
            </li>
          );
        })}
      </ul>
      <div className="mt-2 flex items-center gap-2">
        <button
          type="button"
          className="quiet"
          disabled={ids.length === 0}
          onClick={() =>
            change([
              { name: freeName(value, "patch"), kind: "wall", faces: ids },
              ...moveFaces(value, ids, -1),
            ])
          }
        >
          New patch from {ids.length === 0 ? "selection" : many(ids.length)}
        </button>
        {changed && (
          <button type="button" className="quiet" onClick={() => change(null)}>
            Take the proposal
          </button>
        )}
      </div>
      <p className="mt-2 text-soft">
        {ids.length === 0
          ? "Click faces in the model, with Shift for more, to put them on a patch."
          : reason}
      </p>
    </div>
  );
}

function NameInput({
  name,
  changed,
  change,
}: {
  name: string;
  changed: boolean;
  change: (name: string) => void;
}) {
  const [text, setText] = useState(name);
  useEffect(() => setText(name), [name]);
  const commit = () => text.trim() !== name && change(text.trim());
  return (
    <input
      aria-label={`name of patch ${name}`}
      className={`blank min-w-0 flex-1 ${changed ? "changed" : ""}`}
      value={text}
      maxLength={60}
      onChange={(e) => setText(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => e.key === "Enter" && commit()}
    />
  );
}
