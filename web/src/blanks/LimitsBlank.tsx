import { judgedOf } from "../quality/judged";
import { metricOf, useBench } from "../study/context";
import { type BlankProps, shownValue } from "./props";
import { Add, More, Row, Text } from "./RowParts";
import { type AnyRow, numberOr } from "./rows";

interface Limit {
  of: string;
  value: number | string;
}

/** Limits of one's own: a row for each metric. */
export function LimitsBlank({ blank, value, change }: BlankProps) {
  const bench = useBench();
  const { lists, unit } = bench;
  const rows = (value as Limit[]) ?? [];
  const put = (k: number, next: Limit) => change(rows.map((r, i) => (i === k ? next : r)));
  const free = judgedOf(bench).metrics.filter((m) => !rows.some((r) => r.of === m.key));
  return (
    <span className="block">
      {rows.length === 0 && <span className="text-soft">none yet.</span>}
      {rows.map((row, k) => {
        const { label, unit: symbol, large_is_bad } = metricOf(lists, row.of);
        const what = `limit ${k + 1}`;
        return (
          <Row key={row.of} remove={() => change(rows.filter((_, i) => i !== k))} what={what}>
            <select
              aria-label={`metric of ${what}`}
              className="blank max-w-44"
              value={row.of}
              onChange={(e) => put(k, { ...row, of: e.target.value })}
            >
              {[{ key: row.of, label }, ...free].map((m) => (
                <option key={m.key} value={m.key}>
                  {m.label}
                </option>
              ))}
            </select>{" "}
            {large_is_bad ? "at most" : "at least"}{" "}
            <Text
              label={`value of ${what}`}
              value={shownValue(row.value)}
              change={(t) => put(k, { ...row, value: numberOr(t) })}
            />{" "}
            {symbol.replace("unit", unit)}{" "}
            <More
              rows={blank.rows}
              row={row as unknown as AnyRow}
              what={what}
              drawn={["of", "value"]}
              put={(next) => put(k, next as unknown as Limit)}
            />
          </Row>
        );
      })}
      <span className="mt-1 flex flex-wrap gap-1">
        {free[0] && (
          <Add words="+ another" press={() => change([...rows, { of: free[0]!.key, value: 1 }])} />
        )}
      </span>
    </span>
  );
}
