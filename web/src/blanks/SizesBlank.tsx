import { useBench } from "../study/context";
import { type BlankProps, shownValue } from "./props";
import { Add, More, Row, Text } from "./RowParts";
import { type AnyRow, newRow, numberOr, split } from "./rows";

interface Size {
  patches?: string[];
  between?: string[];
  size?: number;
  count?: number;
  cluster?: string;
  ratio?: number;
  seam?: boolean;
}

const DRAWN = ["patches", "between", "size", "count", "cluster", "ratio", "seam"];

/** Sizes of patches and edges: a row each, in words. */
export function SizesBlank({ blank, value, change }: BlankProps) {
  const { unit, lists } = useBench();
  const rows = (value as Size[]) ?? [];
  const set = (k: number, row: Size) => change(rows.map((r, i) => (i === k ? row : r)));
  const add = (key: string, given: AnyRow) =>
    change([...rows, blank.rows ? newRow(blank.rows, key, given) : given]);
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
          )}{" "}
          <More
            rows={blank.rows}
            row={row as AnyRow}
            what={`size ${k + 1}`}
            drawn={DRAWN}
            put={(next) => set(k, next)}
          />
        </Row>
      ))}
      <span className="mt-1 flex flex-wrap gap-1">
        <Add words="+ patches" press={() => add("patches", { patches: ["wall*"] })} />
        <Add words="+ edge by size" press={() => add("size", { between: ["wall*", "outlet*"] })} />
        <Add
          words="+ edge by count"
          press={() => add("count", { between: ["wall*", "outlet*"] })}
        />
        <Add
          words="+ edge kept or not"
          press={() => add("seam", { between: ["wall*", "wall*"], seam: false })}
        />
      </span>
    </span>
  );
}
