import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, type Job, post } from "../../api/client";
import { merge, useJobs } from "../../api/queries";
import { count, measure } from "../../parts/numbers";
import { useBench } from "../../study/context";
import { FlowFields } from "./FlowFields";
import { FlowPatches } from "./FlowPatches";
import { FlowProfile } from "./FlowProfile";
import { GridConvergence } from "./GridConvergence";
import { History } from "./History";
import { type ProofReport, useFlow } from "./useFlow";

const SIGN: Record<string, [string, string]> = {
  proven: ["✓", "text-verdigris"],
  falling: ["!", "text-ochre"],
  failed: ["✕", "text-madder"],
  running: ["◔", "text-verdigris"],
};

/** Computing the flow on what is handed over, and what it says of the mesh. */
export function Proof() {
  const { variant, job } = useBench();
  const client = useQueryClient();
  const flow = useFlow();
  const [iterations, setIterations] = useState("50");
  const [trouble, setTrouble] = useState("");
  const number = Number(iterations);
  const fits = Number.isInteger(number) && number >= 1 && number <= 20_000;
  const jobs = useJobs();
  const own = (jobs.data ?? []).filter((j) => j.variant === variant.id && j.target === "flow");
  const failed = own.at(-1)?.state === "failed" ? own.at(-1)?.problem : null;
  const mine = job?.target === "flow" ? job : undefined;
  const report = flow?.report ?? null;
  const goes = flow?.condition === "current" && report && !report.converged;

  const ask = async (goOn: boolean) => {
    setTrouble("");
    try {
      const made = await post<Job>(`variants/${variant.id}/flow`, {
        iterations: number,
        go_on: goOn,
      });
      client.setQueryData<Job[]>(["jobs"], (old) => merge(old, made));
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : "It could not be asked for.");
    }
  };

  return (
    <section aria-label="Proof" className="mt-4 border-t border-ink pt-2">
      <h2 className="heading text-[18px]">Prove it</h2>
      <p className="sentence">
        Compute{" "}
        <input
          aria-label="iterations of the flow"
          className={`blank w-16 ${fits ? "" : "wrong"}`}
          inputMode="numeric"
          value={iterations}
          onChange={(e) => setIterations(e.target.value.trim())}
        />{" "}
        iterations of the laminar flow on what is handed over.
      </p>
      {!fits && (
        <p role="alert" className="text-madder">
          ✕ Iterations are a whole number from 1 to 20,000.
        </p>
      )}
      {mine ? (
        <p className="mt-1.5 flex items-center gap-2">
          <button
            type="button"
            className="quiet whitespace-nowrap"
            disabled={mine.stop_asked || mine.stage !== "flow"}
            onClick={() => post(`jobs/${mine.id}/stop`)}
          >
            Stop and keep
          </button>
          <span className="text-soft">
            {mine.stop_asked
              ? "it stops after this iteration"
              : mine.stage === "flow"
                ? ""
                : "what is handed over comes first"}
          </span>
        </p>
      ) : (
        <p className="mt-1.5 flex gap-2">
          {goes && (
            <button
              type="button"
              className="action"
              disabled={!fits || job !== undefined}
              onClick={() => ask(true)}
            >
              Go on
            </button>
          )}
          <button
            type="button"
            className={goes ? "quiet" : "action"}
            disabled={!fits || job !== undefined}
            onClick={() => ask(false)}
          >
            {report && flow?.condition !== "none" ? "Prove it anew" : "Prove it"}
          </button>
        </p>
      )}
      {trouble && (
        <p role="alert" className="mt-1.5 text-madder">
          ✕ {trouble}
        </p>
      )}
      {failed && !mine && (
        <p role="alert" className="mt-1.5 text-madder">
          ✕ {failed.message}
        </p>
      )}
      {report && flow && <Told report={report} outdated={flow.condition === "outdated"} />}
      {report && (flow?.condition === "current" || flow?.condition === "outdated") && (
        <>
          <FlowFields fields={report.fields} />
          <FlowPatches report={report} />
          <FlowProfile />
          <GridConvergence iterations={fits ? Math.max(number, report.iterations) : 300} />
        </>
      )}
    </section>
  );
}

function Told({ report, outdated }: { report: ProofReport; outdated: boolean }) {
  const [sign, tone] = SIGN[report.verdict] ?? SIGN.failed!;
  return (
    <>
      {outdated && <p className="mt-2 text-ochre">↻ of an earlier hand-over, out of date</p>}
      {report.sentence && (
        <p className="sentence mt-2 leading-snug!">
          <span className={tone}>{sign}</span> {report.sentence}
        </p>
      )}
      <History report={report} />
      {report.verdict !== "running" && (
        <ul className="mt-2 text-[12px]">
          {report.evidence.map((row) => (
            <li key={row.words} className="flex gap-1.5">
              <span
                aria-hidden="true"
                className={
                  row.holds === null ? "text-soft" : row.holds ? "text-verdigris" : "text-madder"
                }
              >
                {row.holds === null ? "·" : row.holds ? "✓" : "✕"}
              </span>
              <span>{row.words}</span>
            </li>
          ))}
        </ul>
      )}
      {report.verdict !== "running" && (
        <p className="mt-1 text-[12px] text-soft">
          {count(report.cells)} cells, {count(report.iterations)} iterations
          {report.converged ? ", settled" : report.stopped ? ", stopped" : ""}; fastest{" "}
          {measure(report.fastest, 3)} m/s
        </p>
      )}
    </>
  );
}
