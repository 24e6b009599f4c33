import { measure } from "../parts/numbers";
import { rampOf, useTheme } from "../parts/theme";
import { judgedOf, metricShown } from "../quality/judged";
import { type FieldRow, fieldShown, useFlow } from "../stages/case/useFlow";
import { colouringOf, KINDS, kindsOf } from "../study/colouring";
import { meshOf, metricOf, useBench } from "../study/context";
import { useViewStore } from "../view/store";

/** What the cells shown are coloured by, to choose; its colours and their limits. */
export function RampScale({ place = "bottom-14 right-3 w-56" }: { place?: string }) {
  const bench = useBench();
  const { unit, lists, scale } = bench;
  const { metric, range, slice, focus, painted, setMetric, field: wished } = useViewStore();
  const flow = useFlow();
  const ramp = rampOf(useTheme((s) => s.theme));
  const judged = judgedOf(bench);
  const { report, thing } = judged;
  const mesh = judged.of === "mesh" ? meshOf(bench.variant) : null;
  const key = range?.metric ?? metricShown(judged, metric);
  const field = bench.stage === "case" && !range && !focus ? fieldShown(flow, wished) : null;
  if (field && (field.of === "rim" ? !slice.on : slice.on))
    return <FieldScale field={field} ramp={ramp} place={place} />;
  const coloured = mesh ? slice.on : painted;
  if (!report || (!coloured && !range && !focus)) return null;
  const known = judged.metrics.filter((m) => report.histograms?.[m.key]);
  const { unit: symbol, meaning } = metricOf(lists, key);
  const { how, limits } = colouringOf(lists, report, key, scale);
  // the least value stands at the left; the worst is darkest
  const turned = limits[0] > limits[1];
  const colours = turned ? [...ramp].reverse() : [...ramp];
  const [least, most] = turned ? [limits[1], limits[0]] : limits;
  return (
    <figure className={`absolute bg-paper/90 p-1.5 ${place}`}>
      <figcaption className="flex items-baseline gap-1">
        <select
          aria-label={`colour ${thing}s by`}
          title={meaning}
          className="blank min-w-0 flex-1 text-[12px]!"
          value={key}
          disabled={range !== null}
          onChange={(e) => setMetric(e.target.value)}
        >
          {known.map((m) => (
            <option key={m.key} value={m.key}>
              {m.label}
            </option>
          ))}
          {Object.entries(mesh ? KINDS : {})
            .filter(([kind]) => kind !== "layer" || mesh?.layer_cells)
            .map(([kind, words]) => (
              <option key={kind} value={kind}>
                {words}
              </option>
            ))}
        </select>
        <span className="text-[11.5px] text-soft">{symbol.replace("unit", unit)}</span>
      </figcaption>
      {mesh && key in KINDS ? (
        <ul className="mt-1 flex flex-wrap gap-x-2.5 text-[11.5px]">
          {kindsOf(key, lists, mesh).map(({ words, colour }) => (
            <li key={words} className="flex items-center gap-1">
              <span className="h-2.5 w-2.5 border border-ink" style={{ background: colour }} />
              {words}
            </li>
          ))}
        </ul>
      ) : (
        <>
          <div
            className="mt-1 h-2.5 border border-ink"
            style={{ background: `linear-gradient(90deg, ${colours.join(",")})` }}
          />
          <div className="flex justify-between text-[11.5px]">
            <span>{measure(least, 3)}</span>
            {how === "ratio" && <span className="text-soft">even in ratio</span>}
            <span>{measure(most, 3)}</span>
          </div>
        </>
      )}
    </figure>
  );
}

/** The scale of a field of the flow: the least at the left, the largest darkest. */
function FieldScale({
  field,
  ramp,
  place,
}: {
  field: FieldRow;
  ramp: readonly string[];
  place: string;
}) {
  const setField = useViewStore((s) => s.setField);
  return (
    <figure className={`absolute bg-paper/90 p-1.5 ${place}`}>
      <figcaption className="flex items-baseline gap-2 text-[12px]">
        <span className="flex-1">
          {field.label}
          {field.unit && <span className="text-soft"> {field.unit}</span>}
        </span>
        <button type="button" className="quiet" onClick={() => setField(null)}>
          Take away
        </button>
      </figcaption>
      <div
        className="mt-1 h-2.5 border border-ink"
        style={{ background: `linear-gradient(90deg, ${ramp.join(",")})` }}
      />
      <div className="flex justify-between text-[11.5px]">
        <span>{measure(field.low, 3)}</span>
        <span>{measure(field.high, 3)}</span>
      </div>
    </figure>
  );
}
