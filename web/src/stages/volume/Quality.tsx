import type { VolumeReport } from "../../api/reports";
import { metricOf, useBench } from "../../bench/context";
import { count, measure } from "../../parts/numbers";
import { RAMP } from "../../view/palette";
import { useViewStore } from "../../view/store";

/** Worst, mean and best of each metric, and the histogram of the chosen one. */
export function Quality({ report }: { report: VolumeReport }) {
  const { unit, lists } = useBench();
  const { metric, setMetric } = useViewStore();
  return (
    <>
      <table className="mt-3 w-full border-t border-line">
        <thead>
          <tr className="caps text-left">
            <th className="pb-0.5 pt-2 font-normal">metric</th>
            <th className="pl-2.5 pt-2 text-right font-normal">worst</th>
            <th className="pl-2.5 pt-2 text-right font-normal">mean</th>
            <th className="pl-2.5 pt-2 text-right font-normal">best</th>
          </tr>
        </thead>
        <tbody>
          {lists.metrics.map(({ key, label, unit: symbol, large_is_bad }) => {
            const spread = report.quality[key];
            if (!spread) return null;
            const [worst, best] = large_is_bad
              ? [spread.max, spread.min]
              : [spread.min, spread.max];
            return (
              <tr key={key} className={metric === key ? "bg-wash" : ""}>
                <td>
                  <button
                    type="button"
                    aria-pressed={metric === key}
                    className="text-left hover:underline"
                    onClick={() => setMetric(key)}
                  >
                    {label}
                    {symbol && (
                      <span className="text-soft">{`\u00a0${symbol.replace("unit", unit)}`}</span>
                    )}
                  </button>
                </td>
                <td className="whitespace-nowrap pl-2.5 text-right tabular-nums">
                  {measure(worst, 3)}
                </td>
                <td className="whitespace-nowrap pl-2.5 text-right tabular-nums">
                  {measure(spread.mean, 3)}
                </td>
                <td className="whitespace-nowrap pl-2.5 text-right tabular-nums">
                  {measure(best, 3)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <Bars report={report} metric={metric} />
    </>
  );
}

function Bars({ report, metric }: { report: VolumeReport; metric: string }) {
  const { range, setRange } = useViewStore();
  const { lists } = useBench();
  const histogram = report.histograms[metric];
  if (!histogram) return null;
  const most = Math.max(1, ...histogram.count);
  const bins = histogram.count.length;
  const { label, large_is_bad } = metricOf(lists, metric);
  const turned = !large_is_bad;
  return (
    <figure className="mt-3">
      <figcaption className="caps">{label}: cells per bar; click shows them</figcaption>
      <div className="mt-1 flex h-[74px] items-end border-b border-ink">
        {histogram.count.map((n, k) => {
          const low = histogram.edges[k]!;
          const high = histogram.edges[k + 1]!;
          const on = range?.metric === metric && range.low === low;
          const x = turned ? 1 - k / (bins - 1) : k / (bins - 1);
          return (
            <button
              key={low}
              type="button"
              disabled={n === 0}
              aria-pressed={on}
              title={`${measure(low, 3)} to ${measure(high, 3)}: ${count(n)} cells`}
              aria-label={`${count(n)} cells from ${measure(low, 3)} to ${measure(high, 3)}`}
              className="group flex h-full flex-1 items-end"
              onClick={() => setRange(on ? null : { metric, low, high })}
            >
              <span
                className={`block w-full border-r border-paper ${on ? "outline-2 outline-ink" : "group-hover:opacity-70"}`}
                style={{
                  // a bar of few cells still shows: the worst are few
                  height: n === 0 ? 0 : `${Math.max(4, 100 * Math.sqrt(n / most))}%`,
                  background: RAMP[Math.round(x * (RAMP.length - 2)) + 1],
                }}
              />
            </button>
          );
        })}
      </div>
      <div className="flex justify-between text-[11.5px]">
        <span>{measure(histogram.edges[0]!, 3)}</span>
        <span className="text-soft">height ∝ √cells</span>
        <span>{measure(histogram.edges.at(-1)!, 3)}</span>
      </div>
      {range?.metric === metric && (
        <button type="button" className="quiet mt-1" onClick={() => setRange(null)}>
          Show the whole mesh again
        </button>
      )}
    </figure>
  );
}
