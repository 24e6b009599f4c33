import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useState } from "react";
import { ApiError, type Job, patch, post, type Study } from "../api/client";
import { OVER, useJobs } from "../api/queries";
import { duration, measure } from "../parts/numbers";
import { go } from "../parts/route";
import { ThemeButton } from "../parts/ThemeButton";
import { reportOf, useBench } from "../study/context";
import { Sharing } from "./Sharing";

interface Props {
  study: Study;
  undo: () => void;
  redo: () => void;
  refresh: () => void;
  help: () => void;
  search: () => void;
}

export function Header({ study, undo, redo, refresh, help, search }: Props) {
  const { variant, unit, stage } = useBench();
  // a study that begins with a mesh has no part
  const geometry = reportOf(variant, "geometry") ?? reportOf(variant, "domain");
  const looks = study.role === "look";
  const [naming, setNaming] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);

  async function branch(name: string) {
    try {
      const made = await post<{ id: number }>(`studies/${study.id}/variants`, {
        name,
        source: variant.id,
      });
      setNaming(false);
      setTrouble(null);
      refresh();
      go({ study: study.id, variant: made.id, stage });
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : "The variant was not made.");
    }
  }

  async function rename(field: HTMLInputElement) {
    const name = field.value.trim();
    if (name === study.name) return;
    try {
      if (name) await patch(`studies/${study.id}`, { name });
      else field.value = study.name;
      setTrouble(null);
      refresh();
    } catch (error) {
      field.value = study.name;
      setTrouble(error instanceof ApiError ? error.message : "The name was not kept.");
    }
  }

  return (
    <header className="col-span-3 flex items-center gap-4 border-b border-ink px-4">
      <button
        type="button"
        aria-label="Back to the shelf"
        title="Back to the shelf"
        onClick={() => go({ study: null, variant: null, stage: "" })}
        className="quiet shrink-0 whitespace-nowrap"
      >
        ◧ Shelf
      </button>
      <input
        key={study.name}
        aria-label="Name of the study"
        defaultValue={study.name}
        maxLength={120}
        readOnly={looks}
        className={`heading w-36 shrink-0 border-b border-transparent bg-transparent text-[19px] ${looks ? "" : "hover:border-line"}`}
        onBlur={(e) => rename(e.target)}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
      <nav
        aria-label="Variants"
        className="flex min-w-0 items-center gap-1.5 overflow-x-auto whitespace-nowrap"
      >
        <span className="caps mr-1">variants</span>
        {study.variants.map((v) => (
          <button
            key={v.id}
            type="button"
            className="quiet"
            aria-pressed={v.id === variant.id}
            onClick={() => go({ study: study.id, variant: v.id, stage })}
          >
            {v.name}
          </button>
        ))}
        {naming ? (
          <input
            aria-label="Name of the new variant"
            className="blank w-24"
            placeholder="name, Enter"
            maxLength={60}
            ref={(e) => e?.focus()}
            onKeyDown={(e) => {
              if (e.key === "Escape") setNaming(false);
              if (e.key === "Enter" && e.currentTarget.value.trim())
                branch(e.currentTarget.value.trim());
            }}
            onBlur={() => setNaming(false)}
          />
        ) : (
          <button
            type="button"
            className="quiet"
            title="Branch a variant: it shares all results until a setting differs"
            disabled={looks}
            aria-label="New variant"
            onClick={() => setNaming(true)}
          >
            +
          </button>
        )}
        {trouble && (
          <span role="alert" className="text-madder">
            {trouble}
          </span>
        )}
      </nav>
      {study.variants.length > 1 && (
        <button
          type="button"
          className="quiet shrink-0"
          title="set variants side by side"
          onClick={() => {
            const others = study.variants.map((v) => v.id).filter((v) => v !== variant.id);
            const shown = [variant.id, ...others.slice(-3)];
            go({ study: study.id, variant: variant.id, stage, compare: shown });
          }}
        >
          compare
        </button>
      )}
      <span className="ml-auto flex items-center gap-1.5">
        <button
          type="button"
          className="quiet"
          disabled={!variant.can_undo || looks}
          onClick={undo}
        >
          Undo
        </button>
        <button
          type="button"
          className="quiet"
          disabled={!variant.can_redo || looks}
          onClick={redo}
        >
          Redo
        </button>
      </span>
      {geometry && (
        <span
          className="hidden whitespace-nowrap min-[1420px]:inline"
          title="Overall size of the part"
        >
          {geometry.size.map((s) => measure(s)).join(" × ")} {unit}
        </span>
      )}
      <a
        className="quiet"
        href={`/api/variants/${variant.id}/report`}
        target="_blank"
        rel="noreferrer"
        title="all that is up to date, on one page that prints"
      >
        report
      </a>
      <Sharing study={study} />
      <Jobs />
      <button
        type="button"
        className="quiet whitespace-nowrap"
        title="go to anything (G)"
        onClick={search}
      >
        go to
      </button>
      <ThemeButton />
      <button type="button" className="quiet" aria-label="Keys and pointer" onClick={help}>
        ?
      </button>
    </header>
  );
}

function Jobs() {
  const jobs = useJobs().data ?? [];
  const active = jobs.filter((j) => !OVER.includes(j.state));
  const recent = jobs.slice(-6).reverse();
  return (
    <Popover className="relative">
      <PopoverButton className="quiet whitespace-nowrap">
        {active.length ? `◔ ${active.length} running` : "jobs"}
      </PopoverButton>
      <PopoverPanel className="absolute right-0 z-40 mt-1 w-80 border border-ink bg-sheet p-3">
        {recent.length === 0 && <p className="text-soft">No jobs in the last hours.</p>}
        {recent.map((job) => (
          <JobRow key={job.id} job={job} />
        ))}
      </PopoverPanel>
    </Popover>
  );
}

function JobRow({ job }: { job: Job }) {
  return (
    <div className="border-b border-line py-1.5 last:border-0">
      <div className="flex items-center gap-2">
        <span className="flex-1">
          {job.file_name} to {job.target}
        </span>
        <span className={job.state === "failed" ? "text-madder" : "text-soft"}>{job.state}</span>
      </div>
      {!OVER.includes(job.state) && <Progress job={job} />}
    </div>
  );
}

export function Progress({ job }: { job: Job }) {
  return (
    <div role="status" className="mt-1">
      <div className="flex items-center gap-2">
        <progress className="h-2 flex-1 accent-verdigris" value={job.share} max={1} />
        <span className="w-9 text-right">{Math.round(100 * job.share)} %</span>
        <button type="button" className="quiet" onClick={() => post(`jobs/${job.id}/cancel`)}>
          Cancel
        </button>
      </div>
      <p className="text-soft">
        {job.state === "waiting"
          ? "waiting for a worker"
          : `${job.stage ? `${job.stage}: ` : ""}${job.doing}`}
        {job.seconds_left ? `, about ${duration(job.seconds_left)} left` : ""}
      </p>
    </div>
  );
}
