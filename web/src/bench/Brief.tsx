import { useQueryClient } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { ApiError } from "../api/client";
import { useSettings } from "../api/queries";
import { Blank } from "../blanks/Blank";
import { pageOf } from "../stages/registry";
import { conditionOf, reportOf, stateOf, useBench } from "../study/context";
import { factsOf, parts, shown } from "../study/sentences";
import { type Spread, spread } from "../study/trials";
import { Findings, useFailure } from "./Findings";
import { GeometryFiles } from "./GeometryFiles";
import { Progress } from "./Header";
import { Trial } from "./Trial";

export function Brief({ trouble }: { trouble: string | null }) {
  const bench = useBench();
  const { variant, stages, stage, job, run } = bench;
  const description = stages.find((s) => s.key === stage)!;
  const state = stateOf(variant, stage);
  const settings = useSettings(variant.id);
  const [wrong, setWrong] = useState<{ blank: string; message: string } | null>(null);
  const [trial, setTrial] = useState<{ name: string; several: Spread } | null>(null);
  const client = useQueryClient();
  const condition = conditionOf(bench, stage);
  const page = pageOf(stage);
  const failure = useFailure();

  function change(name: string, value: unknown) {
    setWrong(null);
    const several = spread(value);
    setTrial(several && { name, several });
    // a list of values changes nothing here: it makes variants
    if (several) return;
    settings.mutate(
      { [stage]: { [name]: value } },
      {
        onError: (error) => {
          // what others changed meanwhile is told over the model
          if (error instanceof ApiError && error.problem.stale) return;
          const message = error instanceof ApiError ? error.message : String(error);
          const at = (error instanceof ApiError && error.problem.blank) || `${stage}.${name}`;
          setWrong({ blank: at, message });
        },
      },
    );
  }

  const before = stages
    .slice(0, stages.indexOf(description))
    .filter((s) => stateOf(variant, s.key).condition !== "current");
  const model = factsOf(reportOf(variant, "geometry"), reportOf(variant, "layers"));
  const facts = { ...state.settings, ...model };
  // at the sentence that the blank is in: a long brief would hide it at its end
  const holds = (text: string, blank: string) =>
    parts(text).some((part) => part.blank && `${stage}.${part.text}` === blank);
  const refused = wrong && (
    <p
      role="alert"
      className="mt-1 border-l-2 border-madder pl-2 font-sans text-[12.5px] leading-snug text-madder"
    >
      ✕ {wrong.message} The earlier value is kept.
    </p>
  );
  const sentences = description.sentences.filter((s) => shown(s, facts));
  return (
    <aside
      aria-label="Brief"
      className="flex min-h-0 flex-col overflow-auto border-l border-ink px-5 pb-6 pt-3.5"
    >
      <h1 className="heading text-[25px] leading-tight">{description.title}</h1>
      {state.settings ? (
        <div className="mt-1.5">
          {sentences.map((sentence) => (
            <div key={sentence.text} className="sentence">
              {parts(sentence.text).map((part, place) => {
                // biome-ignore lint/suspicious/noArrayIndexKey: a sentence's words keep their places
                if (!part.blank) return <Fragment key={place}>{part.text}</Fragment>;
                const blank = description.blanks.find((b) => b.name === part.text);
                if (!blank) return null;
                return (
                  <Blank
                    key={`${variant.id} ${blank.name}`}
                    blank={blank}
                    value={state.settings![blank.name]}
                    reason={state.reasons[blank.name]}
                    changed={state.changed.includes(blank.name)}
                    wrong={wrong?.blank === `${stage}.${blank.name}`}
                    change={(value) => change(blank.name, value)}
                  />
                );
              })}{" "}
              {wrong && holds(sentence.text, wrong.blank) && refused}
            </div>
          ))}
        </div>
      ) : (
        <p className="sentence mt-2 text-soft">
          The settings are derived from the model as soon as{" "}
          {before.map((s) => s.title).join(" and ")} {before.length === 1 ? "is" : "are"} up to
          date.
        </p>
      )}
      {wrong && !sentences.some((s) => holds(s.text, wrong.blank)) && refused}
      <page.Consequences />
      {page.writes && state.product && state.condition !== "looking" && (
        <GeometryFiles key={`files ${stage}`} />
      )}
      <div className="sticky -bottom-6 z-20 -mx-5 mt-3 border-t border-line bg-paper px-5 py-2.5">
        {trial ? (
          <Trial
            name={trial.name}
            trial={trial.several}
            leave={() => setTrial(null)}
            refresh={() => client.invalidateQueries({ queryKey: ["studies"] })}
          />
        ) : job ? (
          <Progress job={job} />
        ) : (
          <div className="flex items-center gap-2.5">
            <button
              type="button"
              className="action"
              disabled={condition === "current"}
              onClick={() => run(stage)}
            >
              {description.action}
            </button>
            <span className="text-soft">
              {condition === "current"
                ? "✓ up to date"
                : before.length > 0
                  ? `runs ${before.map((s) => s.title).join(", ")} first`
                  : condition === "outdated"
                    ? "↻ out of date"
                    : condition === "failed"
                      ? "✕ it failed"
                      : ""}
            </span>
          </div>
        )}
        {/* the finding itself may stand below the fold */}
        {!trial && !job && failure && (
          <p className="mt-1.5 line-clamp-4 leading-snug text-madder" title={failure.message}>
            ✕ {failure.message}
          </p>
        )}
      </div>
      {trouble && (
        <p role="alert" className="mt-2 text-madder">
          ✕ {trouble}
        </p>
      )}
      <Findings key={`findings ${stage}`} />
    </aside>
  );
}
