import { useEffect, useState } from "react";
import { useSettings } from "../api/queries";
import type { PatchSetting } from "../api/reports";
import { PatchSwatch } from "../parts/Sign";
import { reportOf, useBench } from "../study/context";
import { withOtherNames } from "../study/offers";
import {
  groupsByAngle,
  groupsByPlane,
  membersOf,
  mergePatches,
  renamed,
  splitPatch,
} from "../study/patches";
import { reference, refName } from "../study/references";
import { useViewStore } from "../view/store";
import type { BlankProps } from "./props";

/** Take faces off every patch they are on, and put them on one. */
export function moveFaces(patches: PatchSetting[], faces: string[], to: number): PatchSetting[] {
  const names = faces.map(refName);
  return patches.map((p, k) => {
    if (p.faces === "rest") return p;
    const kept = p.faces.filter((f) => !names.includes(refName(f)));
    return { ...p, faces: k === to ? [...kept, ...faces] : kept };
  });
}

export function freeName(patches: PatchSetting[], stem: string): string {
  let n = 1;
  while (patches.some((p) => p.name.toLowerCase() === `${stem}_${n}`)) n += 1;
  return `${stem}_${n}`;
}

export function PatchesBlank({ value: given, changed, reason, change }: BlankProps) {
  const value = given as PatchSetting[];
  const { variant, lists } = useBench();
  const settings = useSettings(variant.id);
  const selected = useViewStore((s) => s.selected);
  const setSelected = useViewStore((s) => s.setSelected);
  const faces = reportOf(variant, "domain")?.faces ?? [];
  const settled = reportOf(variant, "patches")?.patches ?? [];
  const ids = selected.flatMap((r) => (faces[r] ? [reference(faces[r].id, faces[r].at)] : []));
  const number = new Map(faces.map((f, r) => [f.id, r]));
  const members = membersOf(value, faces, settled);
  const rest = members.find((_, k) => value[k]?.faces === "rest")?.length ?? 0;
  // rows of other stages that name the patch follow
  const rename = (k: number, name: string) => {
    const others = withOtherNames(variant, { [value[k]!.name]: name });
    const own = value.map((p, i) => (i === k ? { ...p, name } : p));
    if (Object.keys(others).length < 2) change(own);
    else settings.mutate({ ...others, patches: { patches: own } });
  };
  const many = (n: number) => (n === 1 ? "1 face" : `${n} faces`);
  return (
    <div className="mt-1 font-sans text-[13px] leading-normal">
      <ul className="border-t border-line">
        {value.map((patch, k) => {
          const numbers = (members[k] ?? []).map((id) => number.get(id)!);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows are told apart by their place
            <li key={k} className="border-b border-line py-1.5">
              <span className="flex items-center gap-1.5">
                <PatchSwatch kind={patch.kind} index={k} />
                <NameInput name={patch.name} changed={changed} change={(name) => rename(k, name)} />
                <select
                  aria-label={`kind of ${patch.name}`}
                  className="blank"
                  value={patch.kind}
                  onChange={(e) =>
                    change(value.map((p, i) => (i === k ? { ...p, kind: e.target.value } : p)))
                  }
                >
                  {lists.patch_kinds.map(({ key, label }) => (
                    <option key={key} value={key}>
                      {label}
                    </option>
                  ))}
                </select>
              </span>
              <span className="mt-1 flex items-center gap-1.5 pl-6 text-soft">
                <button
                  type="button"
                  className="hover:text-ink hover:underline"
                  onClick={() => setSelected(numbers)}
                >
                  {patch.faces === "rest" ? `all the rest, ${many(rest)}` : many(numbers.length)}
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
                <Split
                  patch={patch}
                  members={members[k] ?? []}
                  others={value.filter((_, i) => i !== k)}
                  split={(groups) => change(splitPatch(value, k, groups, faces))}
                  merge={(into) => change(mergePatches(value, k, into, faces, members))}
                />
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
      <RenameMany patches={value} change={change} />
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

/** Splitting a patch by sharp edges or by a plane through its middle, and merging it into another. */
function Split({
  patch,
  members,
  others,
  split,
  merge,
}: {
  patch: PatchSetting;
  members: string[];
  others: PatchSetting[];
  split: (groups: string[][]) => void;
  merge: (into: string) => void;
}) {
  const { variant } = useBench();
  const domain = reportOf(variant, "domain");
  if (!domain || members.length === 0) return null;
  const angles = [10, 20, 40];
  return (
    <select
      aria-label={`split or merge ${patch.name}`}
      className="blank w-16 text-[12px]!"
      value=""
      onChange={(e) => {
        const [act, value] = [e.target.value.slice(0, 1), e.target.value.slice(1)];
        if (act === "a") split(groupsByAngle(domain.faces, domain.links, members, Number(value)));
        if (act === "p") split(groupsByPlane(domain.faces, members, Number(value)));
        if (act === "m") merge(value);
      }}
    >
      <option value="">more …</option>
      {members.length > 1 && (
        <>
          {angles.map((a) => (
            <option key={a} value={`a${a}`}>
              split at edges over {a}°
            </option>
          ))}
          {["x", "y", "z"].map((axis, k) => (
            <option key={axis} value={`p${k}`}>
              split in its middle across {axis}
            </option>
          ))}
        </>
      )}
      {patch.faces !== "rest" &&
        others.map((o) => (
          <option key={o.name} value={`m${o.name}`}>
            merge into {o.name}
          </option>
        ))}
    </select>
  );
}

function RenameMany({
  patches,
  change,
}: {
  patches: PatchSetting[];
  change: (value: unknown) => void;
}) {
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const next = renamed(patches, from, to);
  const count = next.filter((p, k) => p.name !== patches[k]!.name).length;
  return (
    <p className="mt-2 flex items-center gap-1.5">
      Rename
      <input
        aria-label="name pattern to rename"
        className="blank w-18"
        placeholder="wall*"
        value={from}
        onChange={(e) => setFrom(e.target.value)}
      />
      to
      <input
        aria-label="new name pattern"
        className="blank w-18"
        placeholder="hull*"
        value={to}
        onChange={(e) => setTo(e.target.value)}
      />
      <button
        type="button"
        className="quiet"
        disabled={count === 0}
        onClick={() => {
          change(next);
          setFrom("");
          setTo("");
        }}
      >
        {count === 0 ? "Rename" : `Rename ${count}`}
      </button>
    </p>
  );
}
