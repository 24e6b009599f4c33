import { useState } from "react";
import { measure } from "../parts/numbers";
import { metricOf, useBench } from "../study/context";
import { useViewStore } from "../view/store";
import { judgedOf } from "./judged";
import type { QualityOfMetric } from "./useQuality";

/** The worst cells of a metric, with why they are so; a press flies there. */
export function WorstCells({
  quality,
  more,
}: {
  quality: QualityOfMetric;
  more: (() => void) | null;
}) {
  const bench = useBench();
  const { lists, unit } = bench;
  const { thing } = judgedOf(bench);
  const { focus, setFocus } = useViewStore();
  const [rings] = useState(1);
  const { label, unit: symbol } = metricOf(lists, quality.metric);
  return (
    <section aria-label={`worst ${thing}s`} className="mt-3">
      <h3 className="caps">worst by {label.toLowerCase()}</h3>
      <ol className="mt-0.5">
        {quality.worst.map((row, k) => {
          const on = focus?.cell === row.cell;
          const where = row.zone && quality.worst.some((r) => r.zone !== row.zone) ? row.zone : "";
          const shape = thing === "cell" ? row.shape : "";
          const words = [shape, where, row.cause].filter(Boolean).join(", ");
          return (
            <li key={row.cell} className="border-b border-line last:border-0">
              <button
                type="button"
                aria-pressed={on}
                title={`${thing} ${row.cell} at ${row.place.map((v) => measure(v, 4)).join(", ")} ${unit}`}
                className={`grid w-full grid-cols-[22px_58px_1fr_auto] items-baseline gap-1 py-0.5 text-left hover:bg-wash ${on ? "bg-wash" : ""}`}
                onClick={() =>
                  setFocus(
                    on
                      ? null
                      : {
                          cell: row.cell,
                          rings: focus?.rings ?? rings,
                          metric: quality.metric,
                          value: row.value,
                          words,
                        },
                  )
                }
              >
                <span className="text-soft">{k + 1}</span>
                <span className="tabular-nums">
                  {measure(row.value, 3)}
                  {symbol === "°" ? "°" : ""}
                </span>
                <span className="leading-tight">{words}</span>
                <span className="text-verdigris">{on ? "back" : "show"}</span>
              </button>
            </li>
          );
        })}
      </ol>
      {more && (
        <button type="button" className="quiet mt-1" onClick={more}>
          More of them
        </button>
      )}
    </section>
  );
}
