import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useId } from "react";
import { Hint } from "./Hint";
import type { BlankProps } from "./props";

/** One of several, in words. */
export function ChoiceBlank({ blank, value, reason, changed, change }: BlankProps) {
  const id = useId();
  const words = blank.choices.find(([key]) => key === value)?.[1] ?? String(value);
  // where there is but one, nothing is to be chosen
  if (blank.choices.length === 1) return <>{words}</>;
  return (
    <span className="group relative inline-block">
      <Listbox value={String(value)} onChange={change}>
        <ListboxButton
          aria-label={`${blank.label}: ${words}`}
          className={`blank ${changed ? "changed" : ""}`}
        >
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
