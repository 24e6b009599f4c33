import { useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useEffect, useRef, useState } from "react";
import { ApiError, type Job, patch, post, remove, type Study } from "../api/client";
import { OVER, type Session, useJobs, useRoom, useStages, useStudies } from "../api/queries";
import { ago, bytes, count, duration } from "../parts/numbers";
import { go } from "../parts/route";
import { ThemeButton } from "../parts/ThemeButton";
import { Wordmark } from "../parts/Wordmark";

type Order = "updated" | "name" | "cells";
type Section = "studies" | "archived" | "deleted";

const HEADINGS: Record<Section, [string, string]> = {
  studies: ["Studies", ""],
  archived: ["Archived studies", "Nothing is archived."],
  deleted: ["Deleted studies", "Nothing is deleted."],
};

export function Shelf({ session }: { session: Session }) {
  const client = useQueryClient();
  const [section, setSection] = useState<Section>("studies");
  const studies = useStudies(section === "deleted");
  const room = useRoom().data;
  const jobs = useJobs();
  const [find, setFind] = useState("");
  const [order, setOrder] = useState<Order>("updated");
  const [over, setOver] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [mine, setMine] = useState<string[]>([]);
  const [closed, setClosed] = useState<string[]>([]);
  const input = useRef<HTMLInputElement>(null);

  async function takeIn(files: FileList | null) {
    setTrouble(null);
    const chosen = Array.from(files ?? []);
    const total = chosen.reduce((sum, file) => sum + file.size, 0);
    const names = chosen.map((file) => file.name).join(", ");
    if (chosen.length === 0) return;
    if (total > session.upload_limit) {
      const limit = Math.round(session.upload_limit / 2 ** 20);
      setTrouble(
        `${names}: ${count(total / 2 ** 20)} MiB; the limit is ${limit} MiB. Leave out bodies that the flow never sees and export again.`,
      );
      return;
    }
    // files dropped together are one model
    const form = new FormData();
    for (const file of chosen) form.append("file", file);
    try {
      const job = await post<Job>("studies", form);
      setMine((old) => [...old, job.id]);
      client.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : `${names} could not be sent.`);
    }
  }

  const intakes = (jobs.data ?? []).filter((j) => mine.includes(j.id));
  const begun = intakes.find((j) => j.study !== null && !["failed", "cancelled"].includes(j.state));
  useEffect(() => {
    // a file dropped here opens as soon as there is something to see of it
    if (begun?.study && begun.variant)
      go({ study: begun.study, variant: begun.variant, stage: "geometry" });
  }, [begun?.study, begun?.variant]);

  function drop(event: DragEvent) {
    event.preventDefault();
    setOver(false);
    takeIn(event.dataTransfer.files);
  }

  const rows = (studies.data ?? [])
    .filter((s) => section === "deleted" || s.archived === (section === "archived"))
    .filter((s) => `${s.name} ${s.file_name}`.toLowerCase().includes(find.toLowerCase()))
    .sort((a, b) => {
      if (order === "name") return a.name.localeCompare(b.name);
      if (order === "cells") return (b.cells ?? 0) - (a.cells ?? 0);
      return b.updated.localeCompare(a.updated);
    });

  return (
    // the whole page takes dropped files; the button does the same for the keyboard
    <div
      className="flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={drop}
    >
      <header className="flex h-14 shrink-0 items-center gap-5 border-b border-ink px-6">
        <Wordmark small />
        <label className="ml-6">
          <span className="sr-only">Search studies</span>
          <input
            className="blank w-52"
            placeholder="search studies"
            value={find}
            onChange={(e) => setFind(e.target.value)}
          />
        </label>
        <label className="flex items-center gap-2 text-soft">
          sorted by
          <select
            className="blank"
            value={order}
            onChange={(e) => setOrder(e.target.value as Order)}
          >
            <option value="updated">last change</option>
            <option value="name">name</option>
            <option value="cells">cells</option>
          </select>
        </label>
        {(["archived", "deleted"] as const).map((other) => (
          <button
            key={other}
            type="button"
            className="quiet"
            aria-pressed={section === other}
            onClick={() => setSection(section === other ? "studies" : other)}
          >
            {other === "archived" ? "Archive" : "Deleted"}
          </button>
        ))}
        <span className="ml-auto" />
        {room && (
          <span
            className="text-soft whitespace-nowrap"
            title="what your studies keep, of what they may"
          >
            {bytes(room.kept)} of {bytes(room.most)}
          </span>
        )}
        <button
          type="button"
          className="quiet whitespace-nowrap"
          title="password, sessions, and what happened"
          onClick={() => go({ study: null, variant: null, stage: "", account: true })}
        >
          {session.username}
        </button>
        <ThemeButton />
        <button
          type="button"
          className="quiet"
          onClick={async () => {
            const ended = await remove<Session>("session");
            client.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
            client.setQueryData(["session"], ended);
          }}
        >
          Sign out
        </button>
      </header>
      <main className="min-h-0 flex-1 overflow-auto px-6 py-5">
        <h1 className="heading mb-4 text-[26px]">{HEADINGS[section][0]}</h1>
        {trouble && <Message tone="madder" text={trouble} close={() => setTrouble(null)} />}
        {intakes
          .filter((j) => j.state !== "done" && !closed.includes(j.id))
          .map((job) => (
            <Intake key={job.id} job={job} close={() => setClosed([...closed, job.id])} />
          ))}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-5">
          {section === "studies" && (
            <li>
              <button
                type="button"
                onClick={() => input.current?.click()}
                className={`flex h-full min-h-[250px] w-full flex-col items-center justify-center border-2 border-dashed p-6 text-center ${
                  over ? "border-verdigris bg-wash" : "border-line hover:border-ink"
                }`}
              >
                <span className="heading text-[20px]">Begin a study</span>
                <span className="mt-1 text-soft">
                  Drop geometry files anywhere, or choose them: STEP, IGES, BREP, STL, OBJ, PLY;
                  together they become one study. Or a finished mesh: CGNS, VTU.
                </span>
              </button>
              <input
                ref={input}
                type="file"
                multiple
                aria-label="geometry files"
                className="sr-only"
                tabIndex={-1}
                onChange={(e) => {
                  takeIn(e.target.files);
                  e.target.value = "";
                }}
              />
            </li>
          )}
          {rows.map((study) => (
            <Print key={study.id} study={study} jobs={jobs.data ?? []} days={room?.days ?? 0} />
          ))}
        </ul>
        {studies.isSuccess && rows.length === 0 && (section !== "studies" || find) && (
          <p className="sentence text-soft">
            {find ? `No study matches “${find}”.` : HEADINGS[section][1]}
          </p>
        )}
      </main>
    </div>
  );
}

function Message({ tone, text, close }: { tone: string; text: string; close: () => void }) {
  const colour = tone === "madder" ? "border-madder text-madder" : "border-ink";
  return (
    <div
      role="alert"
      className={`mb-4 flex max-w-3xl items-start gap-3 border bg-sheet p-3 ${colour}`}
    >
      <span className="flex-1">✕ {text}</span>
      <button type="button" className="quiet text-ink" onClick={close}>
        Close
      </button>
    </div>
  );
}

function Intake({ job, close }: { job: Job; close: () => void }) {
  if (job.state === "failed" || job.state === "cancelled") {
    const text = job.problem?.message ?? `Reading ${job.file_name} was cancelled.`;
    return <Message tone="madder" text={text} close={close} />;
  }
  return (
    <div
      role="status"
      className="mb-4 flex max-w-3xl items-center gap-3 border border-line bg-sheet p-3"
    >
      <span className="flex-1">
        Reading <b>{job.file_name}</b>: {job.doing || "waiting"}
        {job.seconds_left ? `, about ${duration(job.seconds_left)} left` : ""}
      </span>
      <progress className="w-40 accent-verdigris" value={job.share} max={1} />
      <button type="button" className="quiet" onClick={() => post(`jobs/${job.id}/cancel`)}>
        Cancel
      </button>
    </div>
  );
}

/** What the flow on a hand-over said of its mesh. */
const PROOF: Record<string, string> = {
  proven: "✓ proven",
  falling: "residuals fall",
  failed: "✕ not proven",
};

function Print({ study, jobs, days }: { study: Study; jobs: Job[]; days: number }) {
  const client = useQueryClient();
  const stages = useStages("part");
  const [trouble, setTrouble] = useState<string | null>(null);
  const title = stages.data?.find((s) => s.key === study.furthest)?.title;
  const running = jobs.find((j) => j.study === study.id && !OVER.includes(j.state));
  const act = async (what: () => Promise<unknown>) => {
    setTrouble(null);
    try {
      await what();
      client.invalidateQueries({ queryKey: ["studies"] });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : String(error));
    }
  };
  const face = (
    <>
      <span className="m-2.5 flex h-[170px] items-center justify-center border border-line bg-paper">
        {study.picture ? (
          <img
            src={study.picture}
            alt={`${study.name}, its model`}
            className="max-h-full max-w-full"
          />
        ) : (
          <span className="text-soft">
            {running ? "being read" : study.deleted ? "deleted" : "no picture yet"}
          </span>
        )}
      </span>
      <span className="block px-4 pb-1">
        <span className="heading block text-[19px] leading-tight">{study.name}</span>
        <span className="block text-soft">
          {running
            ? `running: ${Math.round(100 * running.share)} %`
            : [
                title && `at ${title}`,
                study.cells && `${count(study.cells)} cells`,
                study.proof && PROOF[study.proof],
              ]
                .filter(Boolean)
                .join(" · ") || "not read yet"}
        </span>
      </span>
    </>
  );
  return (
    <li className="group flex flex-col border border-line bg-sheet hover:border-ink">
      {study.deleted ? (
        <div>{face}</div>
      ) : (
        <a
          href={`/study/${study.id}`}
          onClick={(event) => {
            if (event.metaKey || event.ctrlKey) return;
            event.preventDefault();
            go({ study: study.id, variant: null, stage: "geometry" });
          }}
          className="block"
        >
          {face}
        </a>
      )}
      <span className="relative mt-auto block px-4 pb-3 text-soft">
        <span className="block truncate py-1">
          {[
            study.deleted ? `deleted ${ago(study.deleted)}` : ago(study.updated),
            study.deleted ? `kept for ${days} days` : "",
            study.role === "own" ? "" : `${study.owner}’s`,
            study.role === "look" ? "to look at" : "",
            study.shared > 0 && study.role === "own" ? `shared with ${study.shared}` : "",
            bytes(study.kept),
          ]
            .filter(Boolean)
            .join(", ")}
        </span>
        {/* over the line, when one is at the study */}
        <span className="absolute inset-x-2.5 top-0 flex gap-1.5 bg-sheet opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
          {study.deleted ? (
            <>
              <Act words="Bring back" does={() => act(() => post(`studies/${study.id}/deleted`))} />
              <Act
                words="Remove for good"
                does={() => act(() => remove(`studies/${study.id}/deleted`))}
              />
            </>
          ) : (
            <>
              <Act
                words="Duplicate"
                does={() => act(() => post(`studies/${study.id}/duplicate`))}
              />
              {study.role === "own" && (
                <>
                  <Act
                    words={study.archived ? "Bring back" : "Archive"}
                    does={() =>
                      act(() => patch(`studies/${study.id}`, { archived: !study.archived }))
                    }
                  />
                  <Act words="Delete" does={() => act(() => remove(`studies/${study.id}`))} />
                </>
              )}
            </>
          )}
        </span>
      </span>
      {trouble && (
        <p role="alert" className="px-4 pb-3 text-madder">
          ✕ {trouble}
        </p>
      )}
    </li>
  );
}

/** What one can do with a study. */
function Act({ words, does }: { words: string; does: () => void }) {
  return (
    <button type="button" className="quiet" onClick={does}>
      {words}
    </button>
  );
}
