/** What rows of lists are drawn with. */
import { useEffect, useState } from "react";
import { useBench } from "../study/context";
import { shownValue } from "./props";
import {
  type AnyRow,
  fieldsOf,
  formOf,
  numberOr,
  type RowField,
  type RowForms,
  split,
} from "./rows";

export function Row({
  children,
  remove,
  what,
}: {
  children: React.ReactNode;
  remove: () => void;
  what: string;
}) {
  return (
    <span className="mt-1 block border-l-2 border-verdigris pl-2 font-sans text-[12.5px] leading-6">
      {children}
      <button
        type="button"
        aria-label={`remove ${what}`}
        className="ml-1.5 text-soft hover:text-madder"
        onClick={remove}
      >
        ✕
      </button>
    </span>
  );
}

export function Add({ words, press }: { words: string; press: () => void }) {
  return (
    <button
      type="button"
      className="quiet px-1.5! py-0! font-sans text-[12px]"
      onClick={() => press()}
    >
      {words}
    </button>
  );
}

/** A text in a row that is taken on Enter or when it is left. */
export function Text({
  label,
  value,
  change,
}: {
  label: string;
  value: string;
  change: (text: string) => void;
}) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const commit = () => text.trim() !== value && change(text.trim());
  return (
    <input
      aria-label={label}
      className="blank max-w-[calc(100%-20px)]"
      style={{ width: `${Math.max(3, text.length + 1)}ch`, boxSizing: "content-box" }}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => {
        if (e.key === "Enter") commit();
        if (e.key === "Escape") setText(value);
      }}
    />
  );
}

interface AmountProps {
  blank: RowField;
  what: string;
  value: unknown;
  change: (value: unknown) => void;
  drop: (() => void) | null;
}

/** One value of a row, or three, with its words and its unit. */
export function Amount({ blank, what, value, change, drop }: AmountProps) {
  const { unit } = useBench();
  const words = blank.name === "rate" || blank.name === "speed" ? "" : blank.name.replace("_", " ");
  return (
    <span className="mr-1.5 inline-block whitespace-nowrap">
      {words && <span className="text-soft">{words} </span>}
      <Value blank={blank} label={`${blank.label} of ${what}`} value={value} change={change} />{" "}
      <span className="text-soft">{blank.unit.replace("{unit}", unit)}</span>
      {drop && (
        <button
          type="button"
          aria-label={`leave out ${blank.label} of ${what}`}
          className="ml-0.5 text-soft hover:text-madder"
          onClick={drop}
        >
          ×
        </button>
      )}
    </span>
  );
}

function Value({
  blank,
  label,
  value,
  change,
}: Pick<AmountProps, "blank" | "value" | "change"> & { label: string }) {
  if (blank.type === "choice")
    return (
      <select
        aria-label={label}
        className="blank"
        value={String(value)}
        onChange={(e) => change(e.target.value)}
      >
        {blank.choices.map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </select>
    );
  if (blank.type === "flag")
    return (
      <input
        type="checkbox"
        aria-label={label}
        checked={Boolean(value)}
        onChange={(e) => change(e.target.checked)}
      />
    );
  if (blank.type === "point") {
    const three = (value as unknown[]) ?? [0, 0, 0];
    return ["x", "y", "z"].map((axis, k) => (
      <Text
        key={axis}
        label={`${label}, ${axis}`}
        value={shownValue(three[k])}
        change={(t) => change(three.map((v, i) => (i === k ? numberOr(t) : v)))}
      />
    ));
  }
  if (blank.type === "patterns")
    return (
      <Text
        label={label}
        value={((value as string[]) ?? []).join(", ")}
        change={(t) => change(split(t))}
      />
    );
  const word = blank.type === "name" || blank.type === "text";
  return (
    <Text label={label} value={shownValue(value)} change={(t) => change(word ? t : numberOr(t))} />
  );
}

/**
 * The values of a row that its list does not draw in words of its own: so a value that is added to
 * the core's description can be seen and set at once.
 */
export function More({
  rows,
  row,
  what,
  drawn,
  put,
}: {
  rows: RowForms | null;
  row: AnyRow;
  what: string;
  drawn: string[];
  put: (row: AnyRow) => void;
}) {
  if (!rows) return null;
  const rest = fieldsOf(rows, formOf(rows, row)).filter((f) => !drawn.includes(f.name));
  const without = (name: string) => {
    const { [name]: _, ...left } = row;
    return left;
  };
  return (
    <>
      {rest
        .filter((f) => !f.optional || f.name in row)
        .map((f) => (
          <Amount
            key={f.name}
            blank={f}
            what={what}
            value={row[f.name] ?? f.start}
            change={(v) => put({ ...row, [f.name]: v })}
            drop={f.optional ? () => put(without(f.name)) : null}
          />
        ))}
      {rest
        .filter((f) => f.optional && !(f.name in row))
        .map((f) => (
          <button
            key={f.name}
            type="button"
            title={`add ${f.label}`}
            className="mr-1 text-[11.5px] text-soft underline hover:text-ink"
            onClick={() => put({ ...row, [f.name]: f.start })}
          >
            + {f.name.replace("_", " ")}
          </button>
        ))}
    </>
  );
}
