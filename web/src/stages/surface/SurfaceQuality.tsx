import { useState } from "react";
import type { SurfaceReport } from "../../api/reports";
import { useBench } from "../../bench/context";
import { MetricHead } from "../../bench/MetricHead";
import { count, measure } from "../../parts/numbers";
import { useViewStore } from "../../view/store";
import { rampOf, useTheme } from "../../view/theme";
import { heightOf } from "../volume/Bars";

/** Worst, mean and best of the surface's metrics; of the chosen one bars and how many are near. */
export function SurfaceQuality({ report }: { report: SurfaceReport }) {
  const { lists } = useBench();
  const { heights } = useViewStore();
  const ramp = rampOf(useTheme((s) => s.theme));
  const [chosen, setChosen] = useState("smallest_angle");
  const metrics = lists.surface_metrics.filter((m) => report.quality[m.key]);
  const metric = metrics.find((m) => m.key === chosen);
  const bars = report.histograms?.[chosen];
  const spread = report.quality[chosen];
  const most = Math.max(1, ...(bars?.count ?? []));
  const [near, far] = metric?.large_is_bad ? (["95", "99"] as const) : (["5", "1"] as const);
  const way = metric?.large_is_bad ? "under" : "over";
  return (
    <>
      <table className="mt-3 w-full border-t border-line">
        <MetricHead />
        <tbody>
          {metrics.map(({ key, label, unit, large_is_bad, meaning }) => {
            const { min, max, mean } = report.quality[key]!;
            const ends = large_is_bad ? [max, mean, min] : [min, mean, max];
            return (
              <tr key={key} className={chosen === key ? "bg-wash" : ""}>
                <td className="leading-tight">
                  <button
                    type="button"
                    aria-pressed={chosen === key}
                    title={meaning}
                    className="text-left hover:underline"
                    onClick={() => setChosen(key)}
                  >
                    {label} {unit && <span className="text-soft">{unit}</span>}
                  </button>
                </td>
                {ends.map((value, k) => (
                  <td
                    // biome-ignore lint/suspicious/noArrayIndexKey: worst, mean, best
                    key={k}
                    className="whitespace-nowrap pl-2 text-right tabular-nums"
                  >
                    {measure(value, 3)}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
      {metric && bars && (
        <figure className="mt-3">
          <figcaption className="caps">
            {metric.label}: {chosen === "edge_ratio" ? "edges" : "triangles"} per bar
          </figcaption>
          <div className="mt-1 flex h-[60px] items-end border-b border-ink">
            {bars.count.map((n, k) => {
              const share = k / Math.max(1, bars.count.length - 1);
              const x = metric.large_is_bad ? share : 1 - share;
              return (
                <span
                  key={bars.edges[k]}
                  title={`${measure(bars.edges[k]!, 3)} to ${measure(bars.edges[k + 1]!, 3)}: ${count(n)}`}
                  className="min-w-0 flex-1 border-r border-paper"
                  style={{
                    height: `${100 * heightOf(n, most, heights)}%`,
                    background: ramp[Math.round(x * (ramp.length - 2)) + 1],
                  }}
                />
              );
            })}
          </div>
          <div className="flex justify-between text-[11.5px]">
            <span>{measure(bars.edges[0]!, 3)}</span>
            <span>{measure(bars.edges.at(-1)!, 3)}</span>
          </div>
        </figure>
      )}
      {spread?.percentiles && (
        <p className="mt-1">
          Half are {way} {measure(spread.percentiles["50"]!, 3)}, all but 5 % {way}{" "}
          {measure(spread.percentiles[near]!, 3)}, all but 1 % {way}{" "}
          {measure(spread.percentiles[far]!, 3)}.
        </p>
      )}
    </>
  );
}
