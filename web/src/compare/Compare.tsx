import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { get, type Shape } from "../api/client";
import { OVER, useJobs, useLists, useStages, useStudy } from "../api/queries";
import type { Variant } from "../api/reports";
import { RampScale } from "../bench/RampScale";
import { SlicePanel } from "../bench/SlicePanel";
import { SliceRail } from "../bench/SliceRail";
import { Guarded } from "../parts/Guarded";
import { go } from "../parts/route";
import { ThemeButton } from "../parts/ThemeButton";
import { KINDS } from "../study/colouring";
import {
  type BenchContext,
  Context,
  meshOf,
  metricOf,
  reportOf,
  stateGiving,
} from "../study/context";
import { placed } from "../view/planes";
import { useViewStore } from "../view/store";
import type { Viewport } from "../view/viewport";
import { Figures, LABELS } from "./Figures";
import { Overlaid } from "./Overlaid";
import { Pane } from "./Pane";

const MOST = 4;

/** Two to four variants of a study: a pane each with one camera, slice and colour scale. */
export function Compare({ study: id, shown: wanted }: { study: number; shown: number[] }) {
  const study = useStudy(id);
  // an address may name variants that are gone
  const held = study.data?.variants.map((v) => v.id);
  const shown = wanted.filter((v) => !held || held.includes(v));
  const gone = wanted.length - shown.length;
  const stages = useStages(study.data?.kind);
  const lists = useLists();
  const jobs = useJobs().data ?? [];
  const variants = useQueries({
    queries: shown.map((v) => ({
      queryKey: ["variant", v],
      queryFn: () => get<Variant>(`variants/${v}`),
    })),
  }).map((q) => q.data);
  const { metric, slice } = useViewStore();
  const views = useRef(new Map<number, Viewport>());
  const [panel, setPanel] = useState(false);
  const [first, setFirst] = useState<Viewport | null>(null);
  const own = metric in KINDS ? "equiangle_skewness" : metric;

  useEffect(() => {
    useViewStore.getState().setSlice({ on: true });
    return () => useViewStore.getState().reset();
  }, []);

  const products = variants.map((v) => (v ? stateGiving(v, "mesh").product : null)).join(" ");
  const settled = JSON.stringify(variants.map((v) => v?.stages.map((s) => s.settings)));
  const comparison = useQuery({
    queryKey: ["comparison", id, shown.join(), own, products, settled],
    queryFn: () =>
      get<Shape<"ComparisonShape">>(
        `studies/${id}/comparison?variants=${shown.join()}&metric=${own}&bars=48`,
      ),
    placeholderData: keepPreviousData,
    enabled: shown.length > 1,
    retry: false,
  });

  // one colour scale: from the least to the largest value of all
  const scale = useMemo(() => {
    const out: Record<string, [number, number]> = {};
    for (const variant of variants) {
      const bars = variant && meshOf(variant)?.histograms;
      for (const [key, { edges }] of Object.entries(bars ?? {})) {
        const held = out[key] ?? [Infinity, -Infinity];
        out[key] = [Math.min(held[0], edges[0]!), Math.max(held[1], edges.at(-1)!)];
      }
    }
    return out;
  }, [variants]);

  const take = useCallback((v: number, view: Viewport | null) => {
    if (view === null) {
      views.current.delete(v);
      setFirst(views.current.values().next().value ?? null);
      return;
    }
    views.current.set(v, view);
    setFirst(views.current.values().next().value ?? null);
    // what is turned in one pane is turned in all
    view.onPose = () => {
      for (const other of views.current.values()) if (other !== view) other.setPose(view.pose());
    };
  }, []);

  if (study.isError)
    return (
      <p role="alert" className="sentence p-10">
        {study.error.message}
      </p>
    );
  if (!study.data || !stages.data || !lists.data)
    return <p className="sentence p-10 text-soft">Laying out the comparison …</p>;

  const known = variants.filter((v): v is Variant => v !== undefined);
  const base = known.find((v) => reportOf(v, "domain")) ?? known[0];
  const benchOf = (variant: Variant): BenchContext => {
    const mine = jobs.filter((j) => j.variant === variant.id);
    return {
      variant,
      stages: stages.data!,
      lists: lists.data!,
      stage: stateGiving(variant, "mesh").stage,
      job: mine.find((j) => !OVER.includes(j.state)),
      lastJob: mine.at(-1),
      unit: variant.unit ?? "",
      run: () => {},
      openStage: () => {},
      show: () => {},
      scale,
    };
  };
  const space = base && reportOf(base, "domain");
  const planes = space ? slice.planes.map((p) => placed(p, space)) : [];
  const columns = `${LABELS}px repeat(${shown.length}, minmax(0, 1fr))`;
  const toggle = (v: number) => {
    const next = shown.includes(v) ? shown.filter((s) => s !== v) : [...shown, v];
    go({ study: id, variant: next[0] ?? null, stage: "mesh", compare: next }, true);
  };
  return (
    <div className="grid h-full grid-rows-[46px_minmax(0,1fr)_minmax(0,0.85fr)]">
      <header className="flex items-center gap-4 border-b border-ink px-4">
        <button
          type="button"
          className="quiet"
          onClick={() => go({ study: id, variant: shown[0] ?? null, stage: "mesh" })}
        >
          ◨ Bench
        </button>
        <h1 className="heading text-[19px]">{study.data.name}, side by side</h1>
        <fieldset className="flex min-w-0 flex-wrap items-center gap-1.5">
          <legend className="sr-only">Variants compared</legend>
          {study.data.variants.map((v) => {
            const on = shown.includes(v.id);
            return (
              <button
                key={v.id}
                type="button"
                className="quiet"
                aria-pressed={on}
                disabled={on ? shown.length <= 2 : shown.length >= MOST}
                title={on ? "take it out" : "set it beside the others"}
                onClick={() => toggle(v.id)}
              >
                {v.name}
              </button>
            );
          })}
        </fieldset>
        <span className="ml-auto">
          <ThemeButton />
        </span>
      </header>
      <div className="grid min-h-0" style={{ gridTemplateColumns: columns }}>
        {base && (
          <Context.Provider value={benchOf(base)}>
            <div className="relative">
              <div className="absolute left-4 top-3 w-36">
                <p className="sentence leading-snug!">One camera, one slice, one colour scale.</p>
                <button type="button" className="quiet mt-2" onClick={() => first?.look("corner")}>
                  whole
                </button>
              </div>
              <SliceRail planes={planes} panel={panel} openPanel={setPanel} />
              <RampScale place="bottom-3 left-2.5 w-40" />
            </div>
          </Context.Provider>
        )}
        {shown.map((v, k) => {
          const variant = variants[k];
          return variant ? (
            <Context.Provider key={v} value={benchOf(variant)}>
              <Guarded name={`The pane of ${variant.name}`} again={[variant]}>
                <Pane made={(view) => take(v, view)} />
              </Guarded>
            </Context.Provider>
          ) : (
            <p key={v} className="border-l border-line p-4 text-soft">
              …
            </p>
          );
        })}
      </div>
      <div className="min-h-0 overflow-auto border-t border-ink">
        {panel && base && first && (
          <Context.Provider value={benchOf(base)}>
            <div className="relative">
              <SlicePanel view={first} planes={planes} />
            </div>
          </Context.Provider>
        )}
        {gone > 0 && (
          <p role="alert" className="p-4 text-ochre">
            △ {gone === 1 ? "One of the variants asked for is" : `${gone} of the variants are`} no
            longer in this study.
          </p>
        )}
        {shown.length < 2 && (
          <p className="sentence p-4">
            {held && held.length > 1
              ? "Choose another variant above to set it beside this one."
              : "The study has but one variant. Try a list of values at any blank, or add a variant with + at the top of the bench."}
          </p>
        )}
        {comparison.isError && (
          <p role="alert" className="p-4 text-madder">
            ✕ {comparison.error.message}
          </p>
        )}
        {comparison.data && (
          <>
            <Overlaid comparison={comparison.data} label={metricOf(lists.data, own).label} />
            <Figures
              comparison={comparison.data}
              titles={Object.fromEntries(stages.data.map((s) => [s.key, s.title]))}
              unit={base?.unit ?? ""}
            />
          </>
        )}
      </div>
    </div>
  );
}
