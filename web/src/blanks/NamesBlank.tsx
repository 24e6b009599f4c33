import { useId } from "react";
import { measure } from "../parts/numbers";
import { reportOf, useBench } from "../study/context";
import { Hint } from "./Hint";
import type { BlankProps } from "./props";

/** The openings to close, by name. */
export function NamesBlank({ blank, value, reason, changed, change }: BlankProps) {
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
