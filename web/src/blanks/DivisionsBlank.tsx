import { measure } from "../parts/numbers";
import { useBench } from "../study/context";
import { Stack } from "./layers/Stack";
import { useLayersTold } from "./layers/useLayersTold";
import { type BlankProps, shownValue } from "./props";
import { Add, More, Row, Text } from "./RowParts";
import { type AnyRow, newRow, numberOr, split } from "./rows";

interface Division {
  patches: string[];
  count: number;
  growth?: number;
  first?: number;
}

const DRAWN = ["patches", "count", "growth", "first"];

/** Layers of the finished mesh divided again: a row for each scope, drawn as it will be. */
export function DivisionsBlank({ blank, value, change }: BlankProps) {
  const { unit } = useBench();
  const told = useLayersTold();
  const rows = (value as Division[]) ?? [];
  const begun = (given: AnyRow) =>
    (blank.rows ? newRow(blank.rows, "growth", given) : given) as unknown as Division;
  const put = (k: number, next: Division) => change(rows.map((r, i) => (i === k ? next : r)));
  return (
    <span className="block">
      {rows.length === 0 && <span className="text-soft">not at all.</span>}
      {rows.map((row, k) => {
        const { patches, count } = row;
        // what is told of as many rows is told of these
        const known = told?.divisions.length === rows.length ? told.divisions[k] : null;
        const what = `layers divided again ${k + 1}`;
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: rows have no names of their own
          <Row key={k} remove={() => change(rows.filter((_, i) => i !== k))} what={what}>
            on{" "}
            <Text
              label={`patches of ${what}`}
              value={patches.join(", ")}
              change={(t) => put(k, { ...row, patches: split(t) })}
            />
            : into{" "}
            <Text
              label={`number of ${what}`}
              value={shownValue(count)}
              change={(t) => put(k, { ...row, count: numberOr(t) })}
            />{" "}
            <select
              aria-label={`what is given of ${what}`}
              className="blank"
              value={row.first === undefined ? "growth" : "first"}
              onChange={(e) => {
                put(
                  k,
                  e.target.value === "growth"
                    ? begun({ patches, count })
                    : { patches, count, first: known?.start ?? 0.1 },
                );
              }}
            >
              <option value="growth">that grow by</option>
              <option value="first">that begin with</option>
            </select>{" "}
            <Text
              label={`height of ${what}`}
              value={shownValue(row.first ?? row.growth)}
              change={(t) =>
                put(k, { ...row, [row.first === undefined ? "growth" : "first"]: numberOr(t) })
              }
            />
            {row.first !== undefined && ` ${unit}`}
            <More
              rows={blank.rows}
              row={row as unknown as AnyRow}
              what={what}
              drawn={DRAWN}
              put={(next) => put(k, next as unknown as Division)}
            />
            {known && <Stack told={known} unit={unit} />}
            {known && known.fits !== "well" && (
              <span className="block text-[11.5px] text-soft">
                {known.fits === "flat"
                  ? `So many that begin so do not fit the ${measure(known.total, 3)} ${unit} there are: they will be even, and thinner.`
                  : "From so low a first one they would have to grow by more than 3: they will begin higher."}
              </span>
            )}
          </Row>
        );
      })}
      <span className="mt-1 flex flex-wrap gap-1">
        <Add
          words={rows.length === 0 ? "Divide them again" : "+ others"}
          press={() =>
            change([
              ...rows,
              begun({
                patches: [rows.length === 0 ? "*" : "wall*"],
                ...(told && { count: told.count }),
              }),
            ])
          }
        />
      </span>
    </span>
  );
}
