import { useEffect, useId, useState } from "react";
import { useBench } from "../study/context";
import { listed } from "../study/trials";
import { Hint } from "./Hint";
import { type BlankProps, shownValue } from "./props";

/** A number with its unit. */
export function NumberBlank({ blank, value, reason, changed, wrong, change }: BlankProps) {
  const { unit } = useBench();
  const [text, setText] = useState(shownValue(value));
  const id = useId();
  useEffect(() => setText(shownValue(value)), [value]);
  const commit = () => {
    if (listed(text)) return change(text.trim());
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
