import { measure } from "../parts/numbers";
import { judgedOf } from "../quality/judged";
import { metricOf, useBench } from "../study/context";
import { useViewStore } from "../view/store";

const MOST_RINGS = 6;

/** The cell that is shown with those around it: what is told of it, how many rings, and back. */
export function FocusPanel() {
  const bench = useBench();
  const { lists, unit } = bench;
  const { thing } = judgedOf(bench);
  const { focus, setFocus } = useViewStore();
  if (!focus) return null;
  const { label, unit: symbol } = metricOf(lists, focus.metric);
  const rings = (by: number) =>
    setFocus({ ...focus, rings: Math.min(MOST_RINGS, Math.max(0, focus.rings + by)) });
  return (
    <section
      aria-label={`The ${thing} shown`}
      className="absolute left-3 top-3 w-72 border border-ink bg-sheet px-3 py-2"
    >
      <div className="flex items-baseline justify-between gap-2">
        <b>
          {thing === "cell" ? "Cell" : "Triangle"} {focus.cell.toLocaleString("en-US")}
        </b>
        <button type="button" className="quiet py-0!" onClick={() => setFocus(null)}>
          Whole mesh
        </button>
      </div>
      <p>
        {label} {measure(focus.value, 4)}
        {symbol.replace("unit", ` ${unit}`)}
      </p>
      {focus.words && <p className="text-soft">{focus.words}</p>}
      <div className="mt-1 flex items-center gap-1">
        <span className="text-soft">{thing}s around it:</span>
        <button
          type="button"
          className="quiet px-2! py-0!"
          aria-label={`fewer ${thing}s around it`}
          disabled={focus.rings === 0}
          onClick={() => rings(-1)}
        >
          −
        </button>
        <span>
          {focus.rings} {focus.rings === 1 ? "ring" : "rings"}
        </span>
        <button
          type="button"
          className="quiet px-2! py-0!"
          aria-label={`more ${thing}s around it`}
          disabled={focus.rings === MOST_RINGS}
          onClick={() => rings(1)}
        >
          +
        </button>
      </div>
    </section>
  );
}
