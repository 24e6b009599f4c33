import { useState } from "react";
import type { Shape } from "../api/client";
import { count, measure } from "../parts/numbers";

type Row = Shape<"ComparedRowShape">;

/** Width of the column of labels, and of what stands over it, in pixels. */
export const LABELS = 250;

const GROUPS: Record<string, string> = {
  mesh: "Mesh",
  zones: "Zones",
  patches: "Patches",
  quality: "Quality",
  flow: "Flow",
};

/** A value in words. */
export function wordsOf(value: unknown): string {
  if (value === null || value === undefined) return "—";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "number") return Number.isInteger(value) ? count(value) : measure(value, 4);
  return String(value);
}

/** Settings and figures of the variants, a column each; what differs is marked. */
export function Figures({
  comparison,
  titles,
  unit,
}: {
  comparison: Shape<"ComparisonShape">;
  titles: Record<string, string>;
  unit: string;
}) {
  const [all, setAll] = useState(false);
  const settings = comparison.settings.filter((row) => all || row.differs);
  const groups: [string, Row[]][] = [
    ["Settings that differ", settings],
    ...Object.entries(GROUPS).map(([key, title]): [string, Row[]] => [
      title,
      comparison.figures.filter((row) => row.group === key),
    ]),
  ];
  return (
    <table aria-label="Settings and figures" className="mb-3 w-full table-fixed">
      <colgroup>
        <col style={{ width: LABELS }} />
        {comparison.variants.map((v) => (
          <col key={v.id} />
        ))}
      </colgroup>
      <thead className="sr-only">
        <tr>
          <th>figure</th>
          {comparison.variants.map((v) => (
            <th key={v.id}>{v.name}</th>
          ))}
        </tr>
      </thead>
      {groups.map(([title, rows], g) =>
        g > 0 && rows.length === 0 ? null : (
          <tbody key={title} className="border-t border-ink">
            <tr>
              <th
                colSpan={1 + comparison.variants.length}
                className="px-4 pb-0.5 pt-2 text-left font-normal"
              >
                <span className="caps mr-3">{g === 0 && all ? "All settings" : title}</span>
                {g === 0 && (
                  <button type="button" className="quiet py-0!" onClick={() => setAll(!all)}>
                    {all ? "only what differs" : "all settings"}
                  </button>
                )}
                {g === 0 && rows.length === 0 && <span className="ml-3 text-soft">none</span>}
              </th>
            </tr>
            {rows.map((row) => (
              <tr key={row.key} className={`align-baseline ${row.differs ? "" : "text-soft"}`}>
                <th className="pl-4 text-left font-normal leading-tight">
                  <span aria-hidden="true" className="inline-block w-4 text-ochre">
                    {row.differs ? "≠" : ""}
                  </span>
                  {g === 0 && <span className="text-soft">{titles[row.group]}: </span>}
                  {row.label} <span className="text-soft">{row.unit.replace("{unit}", unit)}</span>
                  {row.differs && <span className="sr-only"> differs</span>}
                </th>
                {row.values.map((value, k) => (
                  <td
                    key={comparison.variants[k]?.id}
                    className={`truncate pl-2 tabular-nums ${row.best === k ? "font-semibold text-verdigris" : ""}`}
                    title={row.best === k ? "the best of them" : undefined}
                  >
                    {wordsOf(value)}
                    {row.best === k && <span aria-hidden="true"> ✓</span>}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        ),
      )}
    </table>
  );
}
