import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useId } from "react";
import { Hint } from "./Hint";
import type { BlankProps } from "./props";

/** Words in a row: a, b and c. */
export function inWords(words: string[]): string {
  if (words.length < 2) return words.join("");
  return `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;
}

/** Some of several, in words; at least one of them. */
export function SeveralBlank({ blank, value, reason, changed, change }: BlankProps) {
  const id = useId();
  const keys = (value as string[]) ?? [];
  const words = inWords(blank.choices.filter(([key]) => keys.includes(key!)).map(([, w]) => w!));
  return (
    <span className="group relative inline">
      <Listbox multiple value={keys} onChange={(next: string[]) => next.length > 0 && change(next)}>
        <ListboxButton
          aria-label={`${blank.label}: ${words}`}
          className={`blank text-left ${changed ? "changed" : ""}`}
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
              className="group/row flex cursor-pointer gap-2 px-3 py-1 data-focus:bg-wash"
            >
              <span aria-hidden="true" className="w-3">
                {keys.includes(key!) ? "✓" : ""}
              </span>
              {label}
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}
