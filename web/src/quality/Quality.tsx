import { useState } from "react";
import { count, measure } from "../parts/numbers";
import { KINDS } from "../study/colouring";
import { metricOf, useBench } from "../study/context";
import { useViewStore } from "../view/store";
import { Bars } from "./Bars";
import { judgedOf, metricShown } from "./judged";
import { MetricHead } from "./MetricHead";
import { useQuality } from "./useQuality";
import { WorstCells } from "./WorstCells";

const FEW = 8;
const MANY = 40;

/** Worst, mean and best of each metric; of the chosen one bars, spread and the worst cells. */
export function Quality() {
  const bench = useBench();
  const { unit } = bench;
  const judged = judgedOf(bench);
  const { report, metrics, thing } = judged;
  const { metric: chosen, setMetric, bars, painted, setPainted } = useViewStore();
  const [listed, setListed] = useState(FEW);
  // cells may be coloured by what is no metric
  const metric = metricShown(judged, chosen in KINDS ? "" : chosen);
  const quality = useQuality(judged, metric, bars, listed);
  if (!report) return null;
  const rows = new Map((report.verdict?.rows ?? []).map((row) => [row.metric, row]));
  const told = quality.data?.metric === metric ? quality.data : null;
  const histogram = told?.histogram ?? report.histograms?.[metric];
  return (
    <>
      <table className="mt-3 w-full border-t border-line">
        <MetricHead />
        <tbody>
          {metrics.map(({ key, label, unit: symbol, large_is_bad, meaning }) => {
            const spread = report.quality[key];
            if (!spread) return null;
            const [worst, best] = large_is_bad
              ? [spread.max, spread.min]
              : [spread.min, spread.max];
            const row = rows.get(key);
            const beyond = row && !row.passed;
            return (
              <tr key={key} className={metric === key ? "bg-wash" : ""}>
                <td className="leading-tight">
                  <button
                    type="button"
                    aria-pressed={metric === key}
                    title={meaning}
                    className="text-left hover:underline"
                    onClick={() => setMetric(key)}
                  >
                    {label}
                    {symbol && (
                      <span className="text-soft">{`\u00a0${symbol.replace("unit", unit)}`}</span>
                    )}
                  </button>
                </td>
                <td
                  title={
                    row
                      ? `limit ${measure(row.limit, 3)}: ${beyond ? `${count(row.beyond)}${row.more ? " or more" : ""} ${thing}s beyond` : "none beyond"}`
                      : undefined
                  }
                  className={`whitespace-nowrap pl-2 text-right tabular-nums ${beyond ? "text-ochre" : ""}`}
                >
                  {row && (
                    <span aria-hidden="true" className={beyond ? "" : "text-verdigris"}>
                      {beyond ? "△ " : "✓ "}
                    </span>
                  )}
                  {row && (
                    <span className="sr-only">{beyond ? "beyond its limit" : "within"} </span>
                  )}
                  {measure(worst, 3)}
                </td>
                <td className="whitespace-nowrap pl-2 text-right tabular-nums">
                  {measure(spread.mean, 3)}
                </td>
                <td className="whitespace-nowrap pl-2 text-right tabular-nums">
                  {measure(best, 3)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {judged.of === "surface" && (
        <label className="mt-1 flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-verdigris"
            checked={painted}
            onChange={(e) => setPainted(e.target.checked)}
          />
          colour the model by the metric chosen
        </label>
      )}
      {histogram && <Bars histogram={histogram} metric={metric} limit={told?.limit ?? null} />}
      {told && (
        <>
          <Spread told={told} thing={thing} large={metricOf(bench.lists, metric).large_is_bad} />
          <WorstCells
            quality={told}
            more={told.worst.length === listed && listed < MANY ? () => setListed(MANY) : null}
          />
        </>
      )}
      {quality.isError && (
        <p role="alert" className="mt-2 text-madder">
          ✕ {quality.error.message}
        </p>
      )}
      {!told && !quality.isError && (
        <p className="mt-2 text-soft">Looking for the worst {thing}s …</p>
      )}
    </>
  );
}

/** Spread and percentiles of the metric, and how many cells are beyond its limit. */
function Spread({
  told,
  large,
  thing,
}: {
  told: NonNullable<ReturnType<typeof useQuality>["data"]>;
  large: boolean;
  thing: string;
}) {
  const at = told.spread.percentiles;
  const [near, far] = large ? (["95", "99"] as const) : (["5", "1"] as const);
  return (
    <p className="mt-1">
      Half are {large ? "under" : "over"} {measure(at["50"]!, 3)}, all but 5 %{" "}
      {large ? "under" : "over"} {measure(at[near]!, 3)}, all but 1 % {large ? "under" : "over"}{" "}
      {measure(at[far]!, 3)}; they spread by ±{measure(told.spread.deviation, 2)}.
      {told.limit !== null && told.beyond !== null && (
        <span className={told.beyond > 0 ? "text-ochre" : ""}>
          {" "}
          {told.beyond === 0
            ? `None is beyond the limit of ${measure(told.limit, 3)}.`
            : `${count(told.beyond)} of ${count(told.cells)} ${thing}s are beyond the limit of ${measure(told.limit, 3)}.`}
        </span>
      )}
    </p>
  );
}
