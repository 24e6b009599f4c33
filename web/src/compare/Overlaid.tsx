import type { Shape } from "../api/client";
import { measure } from "../parts/numbers";

const WIDTH = 1000;
const HEIGHT = 100;
/** Lines are told apart by their dashes first, by their colours second. */
const DASHES = ["", "14 7", "4 5", "16 5 4 5"];
const STROKES = ["var(--color-ink)", "var(--color-verdigris)", "var(--color-ochre)", "#7186c4"];

/** Steps of a histogram's shares as the points of a line, by the square root. */
export function steps(shares: number[], most: number): string {
  const n = shares.length;
  return shares
    .flatMap((share, k) => {
      const y = HEIGHT * (1 - Math.sqrt(share / (most || 1)));
      return [
        `${((k * WIDTH) / n).toFixed(1)},${y.toFixed(1)}`,
        `${(((k + 1) * WIDTH) / n).toFixed(1)},${y.toFixed(1)}`,
      ];
    })
    .join(" ");
}

/** The histograms of the variants over one axis: the share of each one's cells. */
export function Overlaid({
  comparison,
  label,
}: {
  comparison: Shape<"ComparisonShape">;
  label: string;
}) {
  const told = comparison.histogram;
  if (!told) return null;
  const most = Math.max(...told.shares.flatMap((s) => s ?? []));
  return (
    <figure className="px-4 pb-2 pt-2">
      <figcaption className="flex flex-wrap items-baseline gap-x-4">
        <span className="caps">{label}: share of the cells, height ∝ √</span>
        {comparison.variants.map((v, k) => (
          <span key={v.id} className="flex items-center gap-1.5">
            <svg width="34" height="6" aria-hidden="true">
              <line
                x1="0"
                y1="3"
                x2="34"
                y2="3"
                stroke={STROKES[k]}
                strokeWidth="2"
                strokeDasharray={DASHES[k]}
              />
            </svg>
            {v.name}
          </span>
        ))}
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        className="mt-1 h-24 w-full border-b border-ink"
        role="img"
        aria-label={`Histograms of ${label}`}
      >
        {told.shares.map(
          (shares, k) =>
            shares && (
              <polyline
                key={comparison.variants[k]!.id}
                points={steps(shares, most)}
                fill="none"
                stroke={STROKES[k]}
                strokeWidth="1.8"
                strokeDasharray={DASHES[k]}
                vectorEffect="non-scaling-stroke"
              />
            ),
        )}
      </svg>
      <div className="flex justify-between text-[11.5px]">
        <span>{measure(told.edges[0]!, 3)}</span>
        <span>{measure(told.edges.at(-1)!, 3)}</span>
      </div>
    </figure>
  );
}
