import { useState } from "react";
import { count, measure } from "../parts/numbers";
import { rampOf, useTheme } from "../parts/theme";
import { metricOf, useBench } from "../study/context";
import { type Heights, useViewStore } from "../view/store";
import { judgedOf } from "./judged";

interface Histogram {
  edges: number[];
  count: number[];
}

const NUMBERS = [12, 24, 48, 96];
const HEIGHTS: [Heights, string][] = [
  ["root", "√ number"],
  ["log", "log number"],
  ["even", "number"],
];

/** Share of the full height of a bar; one of few cells still shows: the worst are few. */
export function heightOf(n: number, most: number, heights: Heights): number {
  if (n === 0 || most === 0) return 0;
  const share = {
    root: Math.sqrt(n / most),
    log: Math.log1p(n) / Math.log1p(most),
    even: n / most,
  }[heights];
  return Math.max(0.04, share);
}

/** Bars of a metric. Drawing over some, or Shift and a click, shows their cells alone. */
export function Bars({
  histogram,
  metric,
  limit,
}: {
  histogram: Histogram;
  metric: string;
  limit: number | null;
}) {
  const { range, setRange, bars, heights, setBars } = useViewStore();
  const bench = useBench();
  const { lists } = bench;
  const { thing } = judgedOf(bench);
  const ramp = rampOf(useTheme((s) => s.theme));
  const [from, setFrom] = useState<number | null>(null);
  const { label, large_is_bad } = metricOf(lists, metric);
  const most = Math.max(1, ...histogram.count);
  const last = histogram.count.length - 1;
  const { edges } = histogram;
  const chosen = range?.metric === metric ? range : null;
  const spanned = (a: number, b: number) => {
    const [low, high] = [Math.min(a, b), Math.max(a, b)];
    return { metric, low: edges[low]!, high: edges[high + 1]! };
  };
  const isOn = (k: number) =>
    chosen !== null && edges[k]! >= chosen.low - 1e-12 && edges[k + 1]! <= chosen.high + 1e-12;
  const first = histogram.count.findIndex((_, k) => isOn(k));
  const press = (k: number, add: boolean) => {
    if (add && first >= 0) setRange(spanned(Math.min(first, k), Math.max(first, k)));
    else if (isOn(k) && chosen?.low === edges[k] && chosen?.high === edges[k + 1]) setRange(null);
    else setRange(spanned(k, k));
  };
  const inside = histogram.count.reduce((sum, n, k) => sum + (isOn(k) ? n : 0), 0);
  const at = limit === null ? null : place(limit, edges);
  return (
    <figure className="mt-3">
      <figcaption className="flex flex-wrap items-baseline gap-x-1.5">
        <span className="caps w-full">
          {label}: {thing}s per bar
        </span>
        <select
          aria-label="number of bars"
          className="blank text-[11.5px]!"
          value={bars}
          onChange={(e) => setBars(Number(e.target.value), heights)}
        >
          {NUMBERS.map((n) => (
            <option key={n} value={n}>
              {n} bars
            </option>
          ))}
        </select>
        <select
          aria-label="heights of the bars"
          className="blank text-[11.5px]!"
          value={heights}
          onChange={(e) => setBars(bars, e.target.value as Heights)}
        >
          {HEIGHTS.map(([key, words]) => (
            <option key={key} value={key}>
              height ∝ {words}
            </option>
          ))}
        </select>
      </figcaption>
      <div
        className="relative mt-1 flex h-[74px] items-end border-b border-ink"
        onPointerUp={() => setFrom(null)}
        onPointerLeave={() => setFrom(null)}
      >
        {histogram.count.map((n, k) => {
          const x = large_is_bad ? k / (last || 1) : 1 - k / (last || 1);
          return (
            <button
              key={edges[k]}
              type="button"
              aria-disabled={n === 0}
              aria-pressed={isOn(k)}
              title={`${measure(edges[k]!, 3)} to ${measure(edges[k + 1]!, 3)}: ${count(n)} ${thing}s`}
              aria-label={`${count(n)} ${thing}s from ${measure(edges[k]!, 3)} to ${measure(edges[k + 1]!, 3)}`}
              className={`group flex h-full min-w-0 flex-1 items-end ${isOn(k) ? "bg-wash" : ""}`}
              onPointerDown={(e) => {
                // the pointer must reach the bars beside it
                (e.target as HTMLElement).releasePointerCapture?.(e.pointerId);
                setFrom(k);
              }}
              onPointerEnter={(e) => {
                if (from !== null && e.buttons === 1) setRange(spanned(from, k));
              }}
              onClick={(e) => {
                // at the end of a stroke over several bars there is nothing to press
                const stroke = chosen && first >= 0 && from !== null && from !== k;
                if (!stroke && n > 0) press(k, e.shiftKey);
              }}
            >
              <span
                className="block w-full border-r border-paper group-hover:opacity-70"
                style={{
                  height: `${100 * heightOf(n, most, heights)}%`,
                  background: ramp[Math.round(x * (ramp.length - 2)) + 1],
                }}
              />
            </button>
          );
        })}
        {at !== null && (
          <span
            title={`limit ${measure(limit!, 3)}`}
            className="pointer-events-none absolute bottom-0 top-0 border-l-2 border-dashed border-madder"
            style={{ left: `${100 * at}%` }}
          />
        )}
      </div>
      <div className="flex justify-between text-[11.5px]">
        <span>{measure(edges[0]!, 3)}</span>
        <span className="text-soft">draw over bars to see their {thing}s</span>
        <span>{measure(edges.at(-1)!, 3)}</span>
      </div>
      {chosen && (
        <p className="mt-1 flex items-baseline gap-2">
          <span>
            {count(inside)} {thing}s from {measure(chosen.low, 3)} to {measure(chosen.high, 3)}
          </span>
          <button type="button" className="quiet whitespace-nowrap" onClick={() => setRange(null)}>
            Whole mesh
          </button>
        </p>
      )}
    </figure>
  );
}

/** Where a value stands along the bars, 0 to 1; null beyond them. */
export function place(value: number, edges: number[]): number | null {
  const last = edges.length - 1;
  if (value < edges[0]! || value > edges[last]!) return null;
  const k = Math.max(0, Math.min(last - 1, edges.findIndex((e) => e > value) - 1));
  const at = edges[last] === value ? last - 1 : k;
  return (at + (value - edges[at]!) / (edges[at + 1]! - edges[at]! || 1)) / last;
}
