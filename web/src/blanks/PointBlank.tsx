import { useEffect, useId, useState } from "react";
import { useBench } from "../study/context";
import { Hint } from "./Hint";
import { type BlankProps, shownValue } from "./props";

/** Three coordinates. */
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
      <span className="font-sans text-[12.5px] text-soft">
        {blank.unit ? blank.unit.replace("{unit}", unit) : unit}
      </span>
      <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
    </span>
  );
}
