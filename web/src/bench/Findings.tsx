import { useEffect, useState } from "react";
import { useSettings, useSettling } from "../api/queries";
import type { Finding, Operation } from "../api/reports";
import { count, measure } from "../parts/numbers";
import { pageOf } from "../stages/registry";
import { reportOf, stateOf, useBench } from "../study/context";
import { changeOf, whereOf } from "../study/offers";
import { useViewStore } from "../view/store";

const LEVEL: Record<string, [string, string]> = {
  error: ["✕", "text-madder"],
  caution: ["△", "text-ochre"],
  note: ["·", "text-soft"],
};

const useNone = (): Finding[] => [];

/** Why the stage could not be made when it was last asked for. */
export function useFailure(): Finding | null {
  const { variant, stage, job, lastJob } = useBench();
  const problem = lastJob?.state === "failed" ? lastJob.problem : null;
  if (job || !problem || stateOf(variant, stage).condition === "current") return null;
  if (lastJob?.stage !== stage && lastJob?.target !== stage) return null;
  return {
    code: problem.code,
    level: "error",
    message: problem.message,
    count: problem.places.length || 1,
    places: problem.places,
    advice: "",
  };
}

function useFindings(): Finding[] {
  const { variant, stage } = useBench();
  const failure = useFailure();
  // a page's hook stays the same as long as its stage is shown: see the key in Brief
  const foretold = (pageOf(stage).useFindings ?? useNone)();
  const state = stateOf(variant, stage);
  const out: Finding[] = [];
  if (state.error) {
    out.push({
      code: state.error.code,
      level: "error",
      message: state.error.message,
      count: 1,
      places: [],
      advice: "",
    });
  }
  if (failure) out.push(failure);
  const report = state.report as { findings?: Finding[] } | null;
  if (["current", "looking"].includes(state.condition)) out.push(...(report?.findings ?? []));
  out.push(...foretold);
  return out;
}

export function Findings() {
  const { show, variant, unit, stage, job, run } = useBench();
  const findings = useFindings();
  const settings = useSettings(variant.id);
  // an offer is made of the settings that the server knew: it would take back what is on its way
  const settling = useSettling(variant.id);
  const [shown, setShown] = useState<Record<number, number>>({});
  const offer = (operation: Operation) => {
    settings.mutate(changeOf(variant, operation));
    // what follows from names is derived once they are settled, which costs next to nothing
    if (operation.do === "rename") run("patches");
  };
  // each press goes to the next place; the faces concerned are selected
  const look = (f: Finding, k: number) => {
    const next = ((shown[k] ?? -1) + 1) % Math.max(1, f.places.length);
    setShown({ ...shown, [k]: next });
    const rows = reportOf(variant, pageOf(stage).part ? "geometry" : "domain")?.faces ?? [];
    const number = new Map(rows.map((r, n) => [r.id, n]));
    const numbers = (f.faces ?? []).map((id) => number.get(id) ?? -1).filter((n) => n >= 0);
    if (numbers.length > 0) useViewStore.getState().setSelected(numbers);
    if (f.places[next]) show(f.places[next]);
  };
  const setMarks = useViewStore((s) => s.setMarks);
  const key = JSON.stringify(findings.map((f) => [f.code, f.places.length]));
  // biome-ignore lint/correctness/useExhaustiveDependencies: by content, not by identity
  useEffect(() => {
    setMarks(
      findings.flatMap((f, k) =>
        f.places.slice(0, 8).map((at, i) => ({
          id: `finding ${k} ${i}`,
          at,
          text: String(k + 1),
          tone: f.level === "error" ? ("error" as const) : ("caution" as const),
          title: f.message,
        })),
      ),
    );
    return () => setMarks([]);
  }, [key, setMarks]);
  const condition = stateOf(variant, stage).condition;
  const looking = condition === "looking";
  if (findings.length === 0 && !looking) return null;
  return (
    <section className="mt-5 border-t border-line pt-3">
      <h2 className="heading text-[17px]">
        {looking ? "Findings so far" : "Findings"} ({findings.length})
      </h2>
      {looking && (
        <p className="mt-1 text-verdigris">
          ◔ {job?.doing || "looking"}, {Math.round(100 * (job?.share ?? 0))} %
        </p>
      )}
      <ol className="mt-1">
        {findings.map((f, k) => {
          const [sign, tone] = LEVEL[f.level] ?? LEVEL.note!;
          return (
            <li key={`${f.code} ${f.message}`} className="border-b border-line py-2 last:border-0">
              <p className={f.accepted ? "text-soft" : tone}>
                <span aria-hidden="true">{f.accepted ? "✓" : sign}</span> <b>{k + 1}</b> {f.message}
                {f.count > 1 && <span> ({count(f.count)})</span>}
              </p>
              {f.measure && (
                <p className="pl-4">
                  {measure(f.size ?? 0, 3)} {f.measure}
                </p>
              )}
              {f.cause && <p className="pl-4 text-soft">{f.cause}</p>}
              {f.advice && (f.repairs ?? []).length === 0 && <p className="pl-4">{f.advice}</p>}
              {f.histogram && (
                <Widths
                  histogram={f.histogram}
                  unit={unit}
                  sew={(tolerance) => offer({ do: "sew", on: true, tolerance })}
                />
              )}
              <span className="mt-1 flex flex-wrap gap-1.5 pl-4">
                {(f.places.length > 0 || (f.faces ?? []).length > 0) && (
                  <button type="button" className="quiet" onClick={() => look(f, k)}>
                    {shown[k] === undefined || f.places.length < 2
                      ? "Show"
                      : `Next, ${((shown[k] + 1) % f.places.length) + 1} of ${f.places.length}`}
                  </button>
                )}
                {(f.repairs ?? []).map((r) => (
                  <button
                    key={r.label}
                    type="button"
                    className="quiet"
                    title={whereOf(r.operation)}
                    disabled={settling || f.earlier}
                    onClick={() => offer({ on: true, ...r.operation })}
                  >
                    {r.label}
                  </button>
                ))}
              </span>
              {f.level !== "error" && ["current", "looking"].includes(condition) && (
                <Accept
                  reason={f.accepted ?? null}
                  change={(why) => settings.mutate({ accepted: { [`${stage}.${f.code}`]: why } })}
                />
              )}
            </li>
          );
        })}
      </ol>
    </section>
  );
}

/** Let a finding stand, with the reason, which goes into recipe and report. */
function Accept({
  reason,
  change,
}: {
  reason: string | null;
  change: (why: string | null) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  if (reason !== null && typed === null)
    return (
      <p className="mt-1 flex flex-wrap items-baseline gap-1.5 pl-4">
        <span>accepted: {reason}</span>
        <button type="button" className="quiet py-0!" onClick={() => change(null)}>
          Take back
        </button>
      </p>
    );
  if (typed === null)
    return (
      <p className="mt-1 pl-4">
        <button
          type="button"
          className="text-[12px] text-soft underline hover:text-ink"
          title="let it stand, with the reason; recipe and report tell it"
          onClick={() => setTyped("")}
        >
          Accept …
        </button>
      </p>
    );
  const take = () => {
    if (!typed.trim()) return;
    change(typed.trim());
    setTyped(null);
  };
  return (
    <p className="mt-1 flex items-baseline gap-1.5 pl-4">
      <input
        // biome-ignore lint/a11y/noAutofocus: it appears where one has just pressed
        autoFocus
        aria-label="why this is accepted"
        placeholder="because …"
        maxLength={300}
        className="blank min-w-0 flex-1"
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") take();
          if (e.key === "Escape") setTyped(null);
        }}
      />
      <button type="button" className="quiet" disabled={!typed.trim()} onClick={take}>
        Accept
      </button>
    </p>
  );
}

/** Gap widths as bars; a click sews all gaps up to that width. */
function Widths({
  histogram,
  unit,
  sew,
}: {
  histogram: { edges: number[]; count: number[] };
  unit: string;
  sew: (tolerance: number) => void;
}) {
  const most = Math.max(1, ...histogram.count);
  return (
    <figure className="mt-1 pl-4">
      <div className="flex h-10 items-end gap-px border-b border-ink">
        {histogram.count.map((n, k) => {
          const upto = Number(((histogram.edges[k + 1] ?? 0) * 1.02).toPrecision(3));
          return (
            <button
              key={histogram.edges[k]}
              type="button"
              aria-label={`${n} edges up to ${upto} ${unit}: sew within it`}
              title={`${n} edges up to ${upto} ${unit}; click to sew within it`}
              className="flex h-full flex-1 items-end hover:bg-wash"
              onClick={() => sew(upto)}
            >
              <span
                className="block w-full bg-ink"
                style={{ height: n === 0 ? 0 : `${Math.max(8, (100 * n) / most)}%` }}
              />
            </button>
          );
        })}
      </div>
      <figcaption className="flex justify-between text-[11px] text-soft">
        <span>0</span>
        <span>gap width, {unit}; click a bar to sew up to it</span>
        <span>{measure(histogram.edges.at(-1) ?? 0, 2)}</span>
      </figcaption>
    </figure>
  );
}
