import { useId, useState } from "react";
import type { Pin } from "../api/reports";
import { useViewStore } from "../view/store";
import { Hint } from "./Hint";
import { PointBlank } from "./PointBlank";
import type { BlankProps } from "./props";
import { More } from "./RowParts";
import type { AnyRow } from "./rows";

/** Pins: a zone's name, a point, and whether fluid is there or it must stay dry. */
export function PinsBlank({ blank, value, reason, changed, wrong, change }: BlankProps) {
  const id = useId();
  const pins = (value as Pin[]) ?? [];
  const { tool, pin: placing, setTool } = useViewStore();
  const set = (k: number, part: Partial<Pin>) =>
    change(pins.map((p, i) => (i === k ? { ...p, ...part } : p)));
  const free = (stem: string) => {
    let n = 2;
    while (pins.some((p) => p.name === `${stem}_${n}`)) n += 1;
    return `${stem}_${n}`;
  };
  return (
    <span className="group relative block">
      {pins.map((pin, k) => (
        <span key={pin.name} className="mt-0.5 block border-l-2 border-verdigris pl-2">
          <span className="flex items-center gap-1 font-sans text-[12.5px]">
            <NameInput name={pin.name} change={(name) => set(k, { name })} />
            <select
              aria-label={`what the pin ${pin.name} says`}
              className="blank"
              value={pin.kind}
              onChange={(e) => set(k, { kind: e.target.value as Pin["kind"] })}
            >
              <option value="fluid">fluid here</option>
              <option value="dry">keep dry</option>
            </select>
            <button
              type="button"
              className="quiet px-1.5! py-0!"
              aria-pressed={tool === "pin" && placing === pin.name}
              onClick={() =>
                tool === "pin" && placing === pin.name ? setTool("turn") : setTool("pin", pin.name)
              }
            >
              place
            </button>
            {pins.length > 1 && (
              <button
                type="button"
                aria-label={`remove pin ${pin.name}`}
                className="text-soft hover:text-madder"
                onClick={() => change(pins.filter((_, i) => i !== k))}
              >
                ✕
              </button>
            )}
          </span>
          <PointBlank
            blank={{ ...blank, label: `pin ${pin.name}` }}
            value={pin.at}
            reason={reason}
            changed={changed}
            wrong={wrong}
            change={(at) => (at === null ? change(null) : set(k, { at: at as number[] }))}
          />
          <span className="font-sans text-[12.5px]">
            <More
              rows={blank.rows}
              row={pin as unknown as AnyRow}
              what={`pin ${pin.name}`}
              drawn={["name", "at", "kind"]}
              put={(next) => set(k, next as Partial<Pin>)}
            />
          </span>
        </span>
      ))}
      <button
        type="button"
        className="quiet mt-1 px-1.5! py-0! font-sans text-[12px]"
        onClick={() =>
          change([...pins, { name: free("zone"), at: pins[0]?.at ?? [0, 0, 0], kind: "fluid" }])
        }
      >
        + pin for another zone
      </button>
      {pins.length > 1 && (
        <Hint blank={blank} reason={reason} changed={changed} id={id} reset={() => change(null)} />
      )}
    </span>
  );
}

function NameInput({ name, change }: { name: string; change: (name: string) => void }) {
  const [text, setText] = useState(name);
  const commit = () => text.trim() !== name && text.trim() && change(text.trim());
  return (
    <input
      aria-label={`zone of pin ${name}`}
      className="blank w-20"
      value={text}
      maxLength={31}
      onChange={(e) => setText(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => e.key === "Enter" && commit()}
    />
  );
}
