import { useId } from "react";
import { reportOf, useBench } from "../study/context";
import { reference, refName } from "../study/references";
import { useViewStore } from "../view/store";
import { Hint } from "./Hint";
import type { BlankProps } from "./props";

/** Faces chosen in the model, kept by name and place. */
export function FacesBlank({ blank, value, reason, changed, change }: BlankProps) {
  const { variant } = useBench();
  const id = useId();
  const selected = useViewStore((s) => s.selected);
  const setSelected = useViewStore((s) => s.setSelected);
  const faces = reportOf(variant, "geometry")?.faces ?? [];
  const refs = (value as string[]) ?? [];
  const number = new Map(faces.map((f, k) => [f.id, k]));
  return (
    <span className="group relative inline">
      <button
        type="button"
        className="blank"
        title={refs.map(refName).join(", ")}
        onClick={() =>
          setSelected(refs.map((r) => number.get(refName(r)) ?? -1).filter((k) => k >= 0))
        }
      >
        {refs.length === 0
          ? "none chosen"
          : refs.length === 1
            ? refName(refs[0]!)
            : `${refs.length} faces`}
      </button>{" "}
      <button
        type="button"
        className="quiet px-1! py-0! text-[12px]"
        disabled={selected.length === 0}
        title="take the faces that are selected in the model"
        onClick={() =>
          change(selected.flatMap((k) => (faces[k] ? [reference(faces[k].id, faces[k].at)] : [])))
        }
      >
        take selection
      </button>
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}

/** The bodies that a setting can name, by whether they bound a volume: all where it does not matter. */
const FIT: Record<string, (solid: boolean) => boolean> = {
  solids: (solid) => solid,
  sheets: (solid) => !solid,
};

/** Bodies by name. */
export function BodiesBlank({ blank, value, reason, changed, change }: BlankProps) {
  const { variant } = useBench();
  const id = useId();
  const names = (value as string[]) ?? [];
  const bodies = reportOf(variant, "geometry")?.bodies ?? [];
  const left = bodies
    .filter((b) => FIT[blank.name]?.(b.solid) ?? true)
    .map((b) => b.name)
    .filter((n) => !names.includes(n));
  return (
    <span className="group relative inline">
      {names.length === 0 && <span className="blank">none</span>}
      {names.map((name) => (
        <span key={name} className={`blank mx-0.5 whitespace-nowrap ${changed ? "changed" : ""}`}>
          {name}
          <button
            type="button"
            aria-label={`take ${name} off`}
            className="ml-1 text-soft hover:text-madder"
            onClick={() => change(names.filter((n) => n !== name))}
          >
            ✕
          </button>
        </span>
      ))}
      {left.length > 0 && (
        <select
          aria-label={`add to ${blank.label}`}
          className="blank mx-0.5 w-14"
          value=""
          onChange={(e) => change(e.target.value === "*" ? ["*"] : [...names, e.target.value])}
        >
          <option value="">+ …</option>
          {left.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </select>
      )}
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}
