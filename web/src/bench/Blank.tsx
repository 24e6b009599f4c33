import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useEffect, useId, useState } from "react";
import type { BlankDescription } from "../api/client";
import type { PatchSetting } from "../api/reports";
import { measure } from "../parts/numbers";
import { reportOf, useBench } from "./context";
import { BodiesBlank, FacesBlank } from "./FacesBlank";
import { OperationsBlank } from "./OperationsBlank";
import { PatchesBlank } from "./PatchesBlank";
import { PinsBlank } from "./PinsBlank";
import { RegionsBlank } from "./RegionsBlank";
import { SizesBlank } from "./SizesBlank";

export interface BlankProps {
  blank: BlankDescription;
  value: unknown;
  reason?: string;
  changed: boolean;
  wrong: boolean;
  change: (value: unknown) => void;
}

export function Blank(props: BlankProps) {
  const { blank } = props;
  if (blank.type === "patches")
    return <PatchesBlank {...props} value={props.value as PatchSetting[]} />;
  if (blank.type === "operations") return <OperationsBlank {...props} />;
  if (blank.type === "sizes") return <SizesBlank {...props} />;
  if (blank.type === "regions") return <RegionsBlank {...props} />;
  if (blank.type === "pins") return <PinsBlank {...props} />;
  if (blank.type === "faces") return <FacesBlank {...props} />;
  if (blank.type === "names" && blank.name !== "closed") return <BodiesBlank {...props} />;
  if (blank.type === "choice") return <ChoiceBlank {...props} />;
  if (blank.type === "names") return <NamesBlank {...props} />;
  if (blank.type === "point") return <PointBlank {...props} />;
  return <NumberBlank {...props} />;
}

/** What a blank tells on hover or focus: where its value comes from, and the rule of thumb. */
export function Hint({
  blank,
  reason,
  changed,
  reset,
  id,
}: {
  blank: BlankDescription;
  reason?: string;
  changed: boolean;
  reset: () => void;
  id: string;
}) {
  return (
    <span
      id={id}
      className="pointer-events-none invisible absolute right-0 top-full z-30 block w-64 whitespace-normal border border-ink bg-sheet p-2.5 font-sans text-[12px] leading-snug opacity-0 shadow-[3px_3px_0_var(--color-shade)] group-focus-within:pointer-events-auto group-focus-within:visible group-focus-within:opacity-100 group-hover:pointer-events-auto group-hover:visible group-hover:opacity-100"
    >
      <b className="block">{blank.label}</b>
      {reason && (
        <span className="mt-1 block">
          {changed ? "Derived value: " : "Derived: "}
          {reason}
        </span>
      )}
      <span className="mt-1 block text-soft">{blank.rule}</span>
      {changed && (
        <button type="button" className="quiet mt-2" onClick={reset}>
          Take the derived value
        </button>
      )}
    </span>
  );
}

export function shownValue(value: unknown): string {
  return typeof value === "number" ? String(Number(value.toPrecision(10))) : String(value ?? "");
}

function NumberBlank({ blank, value, reason, changed, wrong, change }: BlankProps) {
  const { unit } = useBench();
  const [text, setText] = useState(shownValue(value));
  const id = useId();
  useEffect(() => setText(shownValue(value)), [value]);
  const commit = () => {
    const clean = text.trim().replace(",", ".");
    if (clean === shownValue(value)) return;
    const number = Number(clean);
    // an expression or nonsense goes to the server as it is: it says what is wrong
    change(clean !== "" && Number.isFinite(number) ? number : clean);
  };
  return (
    <span className="group relative inline-block whitespace-nowrap">
      <input
        aria-label={blank.label}
        aria-describedby={id}
        aria-invalid={wrong}
        inputMode="decimal"
        className={`blank ${changed ? "changed" : ""} ${wrong ? "wrong" : ""}`}
        style={{ width: `${Math.max(3, text.length + 1)}ch`, boxSizing: "content-box" }}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={commit}
        onKeyDown={(e) => {
          // the hint, which stands over what follows, goes with the focus
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setText(shownValue(value));
        }}
      />
      {blank.unit && (
        <span className="ml-1 font-sans text-[12.5px] text-soft">
          {blank.unit.replace("{unit}", unit)}
        </span>
      )}
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}

function ChoiceBlank({ blank, value, reason, changed, change }: BlankProps) {
  const id = useId();
  const words = blank.choices.find(([key]) => key === value)?.[1] ?? String(value);
  return (
    <span className="group relative inline-block">
      <Listbox value={String(value)} onChange={change}>
        <ListboxButton aria-label={blank.label} className={`blank ${changed ? "changed" : ""}`}>
          {words} <span aria-hidden="true">▾</span>
        </ListboxButton>
        <ListboxOptions
          anchor="bottom start"
          className="z-40 border border-ink bg-sheet p-1 focus:outline-none"
        >
          {blank.choices.map(([key, label]) => (
            <ListboxOption
              key={key}
              value={key}
              className="cursor-pointer px-3 py-1 data-focus:bg-wash data-selected:font-semibold"
            >
              {label}
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}

function NamesBlank({ blank, value, reason, changed, change }: BlankProps) {
  const { variant, unit } = useBench();
  const id = useId();
  const names = (value as string[]) ?? [];
  const openings = reportOf(variant, "geometry")?.openings ?? [];
  return (
    <span className="group relative inline">
      {names.length === 0 && <span className="blank">none ticked</span>}
      {names.map((name) => {
        const opening = openings.find((o) => o.name === name);
        return (
          <span
            key={name}
            className={`blank mx-0.5 inline-block whitespace-nowrap ${changed ? "changed" : ""}`}
          >
            {name}
            {opening && (
              <span className="text-soft">
                {" "}
                ⌀ {measure(opening.diameter, 3)} {unit}
              </span>
            )}
            <button
              type="button"
              aria-label={`leave ${name} open`}
              className="ml-1 text-soft hover:text-madder"
              onClick={() => change(names.filter((n) => n !== name))}
            >
              ✕
            </button>
          </span>
        );
      })}
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}

export function PointBlank({ blank, value, reason, changed, wrong, change }: BlankProps) {
  const { unit } = useBench();
  const id = useId();
  const point = (value as number[]) ?? [0, 0, 0];
  const [texts, setTexts] = useState(point.map(shownValue));
  const key = point.join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the point's values, not its identity
  useEffect(() => setTexts(point.map(shownValue)), [key]);
  const commit = () => {
    if (texts.every((t, k) => t === shownValue(point[k]))) return;
    change(texts.map((t) => (t.trim() !== "" && Number.isFinite(Number(t)) ? Number(t) : t)));
  };
  return (
    <span className="group relative inline-block whitespace-nowrap">
      {["x", "y", "z"].map((axis, k) => (
        <input
          key={axis}
          aria-label={`${blank.label}, ${axis}`}
          aria-invalid={wrong}
          className={`blank mr-1 ${changed ? "changed" : ""} ${wrong ? "wrong" : ""}`}
          style={{
            width: `${Math.max(2, (texts[k] ?? "").length + 0.5)}ch`,
            boxSizing: "content-box",
          }}
          value={texts[k]}
          onChange={(e) => setTexts(texts.map((t, i) => (i === k ? e.target.value : t)))}
          onBlur={commit}
          onKeyDown={(e) => e.key === "Enter" && commit()}
        />
      ))}
      <span className="font-sans text-[12.5px] text-soft">{unit}</span>
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}
