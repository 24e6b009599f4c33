import { useEffect } from "react";
import type { Finding } from "../api/reports";
import { count } from "../parts/numbers";
import { useViewStore } from "../view/store";
import { stateOf, useBench } from "./context";

const LEVEL: Record<string, [string, string]> = {
  error: ["✕", "text-madder"],
  caution: ["△", "text-ochre"],
  note: ["·", "text-soft"],
};

function useFindings(): Finding[] {
  const { variant, stage, job, lastJob } = useBench();
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
  const failed =
    !job && lastJob?.state === "failed" && lastJob.problem && state.condition !== "current";
  if (failed && (lastJob.stage === stage || lastJob.target === stage)) {
    const p = lastJob.problem!;
    out.push({
      code: p.code,
      level: "error",
      message: p.message,
      count: p.places.length || 1,
      places: p.places,
      advice: "",
    });
  }
  const report = state.report as { findings?: Finding[] } | null;
  if (state.condition === "current") out.push(...(report?.findings ?? []));
  return out;
}

export function Findings() {
  const { show } = useBench();
  const findings = useFindings();
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
  if (findings.length === 0) return null;
  return (
    <section className="mt-5 border-t border-line pt-3">
      <h2 className="heading text-[17px]">Findings ({findings.length})</h2>
      <ol className="mt-1">
        {findings.map((f, k) => {
          const [sign, tone] = LEVEL[f.level] ?? LEVEL.note!;
          return (
            <li key={`${f.code} ${f.message}`} className="border-b border-line py-2 last:border-0">
              <p className={tone}>
                <span aria-hidden="true">{sign}</span> <b>{k + 1}</b> {f.message}
                {f.count > 1 && <span> ({count(f.count)})</span>}
              </p>
              {f.advice && <p className="pl-4">{f.advice}</p>}
              {f.places.length > 0 && (
                <button
                  type="button"
                  className="quiet ml-4 mt-1"
                  onClick={() => show(f.places[0]!)}
                >
                  Show
                </button>
              )}
            </li>
          );
        })}
      </ol>
    </section>
  );
}
