import { useEffect, useState } from "react";
import { useBench } from "../bench/context";
import { listed } from "../bench/trials";
import { type BlankProps, shownValue } from "./props";

interface Size {
  patches?: string[];
  between?: string[];
  size?: number;
  count?: number;
  cluster?: string;
  ratio?: number;
  seam?: boolean;
}

/** Sizes of patches and edges: a row each, in words. */
export function SizesBlank({ value, change }: BlankProps) {
  const { unit, lists } = useBench();
  const rows = (value as Size[]) ?? [];
  const set = (k: number, row: Size) => change(rows.map((r, i) => (i === k ? row : r)));
  return (
    <span className="block">
      {rows.length === 0 && <span className="text-soft">none of their own.</span>}
      {rows.map((row, k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: rows have no names of their own
        <Row key={k} remove={() => change(rows.filter((_, i) => i !== k))} what={`size ${k + 1}`}>
          {row.patches ? (
            <>
              on{" "}
              <Text
                label={`patches of size ${k + 1}`}
                value={row.patches.join(", ")}
                change={(t) => set(k, { ...row, patches: split(t) })}
              />
            </>
          ) : (
            <>
              where{" "}
              {[0, 1].map((side) => (
                <span key={side}>
                  {side === 1 && " meets "}
                  <Text
                    label={`${side ? "second" : "first"} side of edge ${k + 1}`}
                    value={row.between?.[side] ?? ""}
                    change={(t) => {
                      const two = [...(row.between ?? ["", ""])];
                      two[side] = t;
                      set(k, { ...row, between: two });
                    }}
                  />
                </span>
              ))}
            </>
          )}
          {row.seam !== undefined ? (
            <>
              {" "}
              <select
                aria-label={`meaning of edge ${k + 1}`}
                className="blank"
                value={row.seam ? "seam" : "kept"}
                onChange={(e) => set(k, { ...row, seam: e.target.value === "seam" })}
              >
                <option value="kept">keep the edge</option>
                <option value="seam">walk over the edge</option>
              </select>
            </>
          ) : row.count === undefined ? (
            <>
              {" "}
              edges of{" "}
              <Text
                label={`edge length ${k + 1}`}
                value={shownValue(row.size)}
                change={(t) => set(k, { ...row, size: numberOr(t) })}
              />{" "}
              {unit}
            </>
          ) : (
            <>
              {" "}
              put{" "}
              <Text
                label={`count ${k + 1}`}
                value={shownValue(row.count)}
                change={(t) => set(k, { ...row, count: numberOr(t) })}
              />{" "}
              edges,{" "}
              <select
                aria-label={`clustering ${k + 1}`}
                className="blank"
                value={row.cluster ?? "uniform"}
                onChange={(e) => set(k, { ...row, cluster: e.target.value })}
              >
                {lists.clusterings.map(({ key, label }) => (
                  <option key={key} value={key}>
                    {label}
                  </option>
                ))}
              </select>
              {(row.cluster ?? "uniform") !== "uniform" && (
                <>
                  , longest over shortest{" "}
                  <Text
                    label={`ratio ${k + 1}`}
                    value={shownValue(row.ratio ?? 1)}
                    change={(t) => set(k, { ...row, ratio: numberOr(t) })}
                  />
                </>
              )}
            </>
          )}
        </Row>
      ))}
      <span className="mt-1 flex flex-wrap gap-1">
        <Add words="+ patches" press={() => change([...rows, { patches: ["wall*"], size: 1 }])} />
        <Add
          words="+ edge by size"
          press={() => change([...rows, { between: ["wall*", "outlet*"], size: 1 }])}
        />
        <Add
          words="+ edge by count"
          press={() =>
            change([...rows, { between: ["wall*", "outlet*"], count: 24, cluster: "uniform" }])
          }
        />
        <Add
          words="+ edge kept or not"
          press={() => change([...rows, { between: ["wall*", "wall*"], seam: false }])}
        />
      </span>
    </span>
  );
}

const split = (text: string) =>
  text
    .split(/[,\s]+/)
    .map((t) => t.trim())
    .filter(Boolean);

/** A number if it is one; else the text, so that the server can say what is wrong with it. */
export const numberOr = (text: string): number => {
  // several values make a trial
  if (listed(text)) return text.trim() as unknown as number;
  const clean = text.trim().replace(",", ".");
  const value = Number(clean);
  return (clean !== "" && Number.isFinite(value) ? value : clean) as number;
};

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
