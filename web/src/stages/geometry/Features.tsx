import { useSettings } from "../../api/queries";
import type { Feature, Operation } from "../../api/reports";
import { count, measure } from "../../parts/numbers";
import { reportOf, stateOf, useBench } from "../../study/context";
import { useViewStore } from "../../view/store";
import { featureRows } from "./features";

const FEATURE_WORDS: Record<string, [string, string, string]> = {
  hole: ["hole", "holes", "⌀"],
  boss: ["boss", "bosses", "⌀"],
  mark: ["engraved mark", "engraved marks", ""],
  fillet: ["fillet", "fillets", "r"],
};

/** Features that the flow may not need, by kind and size; a click offers their removal. */
export function Features({ features }: { features: Feature[] }) {
  const { variant, unit } = useBench();
  const settings = useSettings(variant.id);
  const rows = featureRows(features ?? []);
  if (rows.length === 0) return null;
  const remove = (kind: string, size: number) => {
    const list = (stateOf(variant, "geometry").settings?.repairs ?? []) as Operation[];
    const below = Number((size * 1.01).toPrecision(3));
    settings.mutate({ geometry: { repairs: [...list, { do: "remove", on: true, kind, below }] } });
  };
  const select = (faces: string[]) => {
    const number = new Map((reportOf(variant, "geometry")?.faces ?? []).map((f, k) => [f.id, k]));
    useViewStore
      .getState()
      .setSelected(faces.map((f) => number.get(f) ?? -1).filter((n) => n >= 0));
  };
  return (
    <details className="mt-2 border-t border-line pt-1.5">
      <summary className="cursor-pointer">
        Features the flow may not need ({count(features.length)})
      </summary>
      <ul>
        {rows.map((row) => {
          const [one, many, sign] = FEATURE_WORDS[row.kind] ?? [row.kind, row.kind, ""];
          return (
            <li key={`${row.kind} ${row.size}`} className="flex items-center gap-1.5 py-0.5">
              <button
                type="button"
                className="min-w-0 flex-1 text-left hover:underline"
                onClick={() => select(row.faces)}
              >
                {row.count} {row.count === 1 ? one : many} {sign} {measure(row.size, 3)} {unit}
              </button>
              <button
                type="button"
                className="quiet px-1.5! py-0!"
                title={`remove all ${many} up to this size`}
                onClick={() => remove(row.kind, row.size)}
              >
                remove up to this
              </button>
            </li>
          );
        })}
      </ul>
    </details>
  );
}
