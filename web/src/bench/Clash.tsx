import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { Clash as Told } from "../api/beside";
import { useSettings } from "../api/queries";
import { measure } from "../parts/numbers";
import { useBench } from "../study/context";

/** Others changed what one was changing: what there is now, what was meant, and which to take. */
export function Clash() {
  const { variant } = useBench();
  const client = useQueryClient();
  const settings = useSettings(variant.id);
  const key = ["clash", variant.id];
  const clash = useQuery<Told | null>({ queryKey: key, queryFn: () => null, enabled: false }).data;
  if (!clash) return null;
  const done = () => client.setQueryData(key, null);
  const { stale, change } = clash;
  const who = stale.by.join(" and ") || "Somebody";
  const own = Object.entries(change ?? {}).flatMap(([stage, blanks]) =>
    Object.entries(blanks)
      .filter(([name]) => stale.blanks.includes(`${stage}.${name}`))
      .map(([name, value]) => ({ stage, name, value })),
  );
  return (
    <section
      role="alert"
      aria-label="Changed by others"
      className="absolute top-[58px] left-1/2 z-30 w-[440px] max-w-[90%] -translate-x-1/2 border border-ink bg-sheet p-3"
    >
      {change ? (
        <>
          <p>{who} changed meanwhile what you were changing. Theirs stands:</p>
          <table className="my-2 w-full text-left">
            <thead>
              <tr className="text-soft">
                <th />
                <th className="font-normal">now</th>
                <th className="font-normal">yours</th>
              </tr>
            </thead>
            <tbody>
              {own.map(({ stage, name, value }) => (
                <Row key={`${stage}.${name}`} stage={stage} name={name} value={value} />
              ))}
            </tbody>
          </table>
        </>
      ) : (
        <p className="mb-2">
          {who} changed this variant meanwhile, so nothing was undone or redone. Look at it as it is
          now, then press again.
        </p>
      )}
      <div className="flex gap-2">
        {change && (
          <button
            type="button"
            className="quiet"
            onClick={() => {
              done();
              settings.mutate(change);
            }}
          >
            Set mine
          </button>
        )}
        <button type="button" className="quiet" onClick={done}>
          {change ? "Leave theirs" : "Close"}
        </button>
      </div>
    </section>
  );
}

function Row({ stage, name, value }: { stage: string; name: string; value: unknown }) {
  const { variant, stages, unit } = useBench();
  const told = stages.find((s) => s.key === stage);
  const blank = told?.blanks.find((b) => b.name === name);
  const own = variant.stages.find((s) => s.stage === stage);
  const now = own?.settings?.[name];
  const blankUnit = blank?.unit.replaceAll("{unit}", unit);
  const mine = value === null ? own?.default?.[name] : value;
  return (
    <tr className="border-t border-line align-top">
      <th className="py-1 pr-2 font-normal">
        {told?.title ?? stage}: {blank?.label ?? name}
      </th>
      <td className="py-1 pr-2">{inWords(now, blankUnit)}</td>
      <td className="py-1">{inWords(mine, blankUnit)}</td>
    </tr>
  );
}

/** A value in a few words; of a list, how many rows it has. */
function inWords(value: unknown, unit = ""): string {
  if (typeof value === "number") return `${measure(value)} ${unit}`.trim();
  if (Array.isArray(value) && value.every((v) => typeof v !== "object")) return value.join(", ");
  if (Array.isArray(value)) return value.length === 1 ? "1 row" : `${value.length} rows`;
  if (value === null || value === undefined) return "as derived";
  return typeof value === "object" ? "as set" : String(value);
}
