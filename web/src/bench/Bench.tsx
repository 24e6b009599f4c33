import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { ApiError } from "../api/client";
import {
  OVER,
  useJobs,
  useLists,
  useRun,
  useStages,
  useStudy,
  useUndo,
  useVariant,
} from "../api/queries";
import { Guarded } from "../parts/Guarded";
import { go, type Place } from "../parts/route";
import { type BenchContext, Context, stateNamed } from "../study/context";
import { useViewStore } from "../view/store";
import type { StandardView, Viewport } from "../view/viewport";
import { Brief } from "./Brief";
import { Clash } from "./Clash";
import { Goto } from "./Goto";
import { type Target, targetsOf } from "./goto";
import { Header } from "./Header";
import { Ledger } from "./Ledger";
import { ModelView } from "./ModelView";
import { Shortcuts } from "./Shortcuts";
import { Strip } from "./Strip";
import { applyView, type NamedView } from "./Views";

const STANDARD: [string, StandardView][] = [
  ["along x", "x"],
  ["against x", "-x"],
  ["along y", "y"],
  ["against y", "-y"],
  ["along z", "z"],
  ["against z", "-z"],
  ["from the corner", "corner"],
];

const ACTS: [string, string, (view: Viewport | null) => void][] = [
  ["Show the whole model", "key f", (view) => view?.fit()],
  ["Slice on or off", "key s", (view) => view?.onKey("slice")],
  ["Show what is hidden", "all faces", () => useViewStore.getState().setHidden([])],
  [
    "Mesh lines on or off",
    "key l",
    () => useViewStore.getState().setLines(!useViewStore.getState().lines),
  ],
];

/** Put the focus on a blank of the brief. */
function focusOn(label: string): void {
  const named = [...document.querySelectorAll<HTMLElement>("aside [aria-label]")];
  const found = named.find((e) => {
    const own = e.getAttribute("aria-label");
    // a choice says its value too
    return own === label || own?.startsWith(`${label}: `);
  });
  found?.scrollIntoView({ block: "center" });
  found?.focus();
}

export function Bench({ place, study: studyId }: { place: Place; study: number }) {
  const client = useQueryClient();
  const study = useStudy(studyId);
  const stages = useStages(study.data?.kind);
  const lists = useLists();
  const jobs = useJobs();
  const variantId = place.variant ?? study.data?.variants[0]?.id;
  const variant = useVariant(variantId);
  const run = useRun(variantId ?? 0);
  const undo = useUndo(variantId ?? 0, "undo");
  const redo = useUndo(variantId ?? 0, "redo");
  const view = useRef<Viewport | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [sheet, setSheet] = useState(false);
  const [search, setSearch] = useState(false);
  // those that the variant goes through, as its mesh is to be made
  const through = useMemo(() => {
    const own = variant.data?.stages.map((s) => s.stage);
    return (stages.data ?? []).filter((s) => own === undefined || own.includes(s.key));
  }, [stages.data, variant.data]);
  const asked = variant.data ? stateNamed(variant.data, place.stage).stage : place.stage;
  const stage = through.some((s) => s.key === asked) ? asked : (through[0]?.key ?? "geometry");

  useEffect(() => () => useViewStore.getState().reset(), []);

  const openStage = useCallback(
    (next: string) => {
      if (variantId !== undefined) go({ study: studyId, variant: variantId, stage: next });
    },
    [studyId, variantId],
  );

  const runTo = useCallback(
    (target: string, live = false) => {
      setTrouble(null);
      run.mutate(
        { target, live },
        {
          onError: (error) => setTrouble(error instanceof ApiError ? error.message : String(error)),
        },
      );
    },
    [run.mutate],
  );

  const own = useMemo(
    () => (jobs.data ?? []).filter((j) => j.variant === variantId),
    [jobs.data, variantId],
  );
  const job = own.find((j) => !OVER.includes(j.state));
  const lastJob = own.at(-1);

  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const at = event.target as HTMLElement;
      if (/^(INPUT|SELECT|TEXTAREA)$/.test(at.tagName)) return;
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
        event.preventDefault();
        (event.shiftKey ? redo : undo).mutate();
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const number = Number(event.key);
      const target = through[number - 1];
      if (number >= 1 && target) openStage(target.key);
      else if (event.key === "f") view.current?.fit();
      else if (event.key === "r") runTo(stage);
      else if (event.key === "?") setSheet(true);
      else if (event.key === "g") {
        event.preventDefault();
        setSearch(true);
      } else if (event.key === "Escape") {
        const { tool, setTool, setSelected } = useViewStore.getState();
        if (useViewStore.getState().focus) useViewStore.getState().setFocus(null);
        else if (tool === "turn") setSelected([]);
        else setTool("turn");
      } else if (event.key === "t") useViewStore.getState().setTool("turn");
      else if (event.key === "b") useViewStore.getState().setTool("box");
      else if (event.key === "m") useViewStore.getState().setTool("ruler");
      else if (event.key === "s") view.current?.onKey("slice");
      else if (event.key === ",") view.current?.onKey("back");
      else if (event.key === ".") view.current?.onKey("on");
      else if (event.key === "l") useViewStore.getState().setLines(!useViewStore.getState().lines);
      else if (event.key === "+") view.current?.zoomAt(null, 1.25);
      else if (event.key === "-") view.current?.zoomAt(null, 0.8);
      else if (at.tagName !== "BUTTON" && event.key.startsWith("Arrow")) {
        const [yaw, pitch] = { Left: [-1, 0], Right: [1, 0], Up: [0, -1], Down: [0, 1] }[
          event.key.slice(5) as "Left" | "Right" | "Up" | "Down"
        ] as [number, number];
        view.current?.turn(yaw * 0.12, pitch * 0.12);
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [openStage, runTo, stage, through, undo, redo]);

  if (study.isError || variant.isError) {
    return (
      <div className="p-10">
        <p role="alert" className="sentence">
          {(study.error ?? variant.error)?.message}
        </p>
        <button
          type="button"
          className="quiet mt-4"
          onClick={() => go({ study: null, variant: null, stage: "" })}
        >
          Back to the shelf
        </button>
      </div>
    );
  }
  if (!study.data || !stages.data || !lists.data || !variant.data) {
    return <p className="sentence p-10 text-soft">Laying out the study …</p>;
  }
  const bench: BenchContext = {
    variant: variant.data,
    stages: through,
    lists: lists.data,
    stage,
    job,
    lastJob,
    unit: variant.data.unit ?? "",
    run: runTo,
    openStage,
    show: (at) => view.current?.show(at),
  };
  const targets = (): Target[] => [
    ...targetsOf(bench, {
      open: openStage,
      run: runTo,
      select: (regions) => useViewStore.getState().setSelected(regions),
      // the stage that was opened draws first
      show: (at) => setTimeout(() => view.current?.show(at), 300),
      focus: (key, label) => {
        openStage(key);
        setTimeout(() => focusOn(label), 300);
      },
    }),
    ...STANDARD.map(
      ([name, look]): Target => ({
        key: `look ${look}`,
        group: "view",
        label: name,
        hint: "standard view",
        go: () => view.current?.look(look),
      }),
    ),
    ...((study.data?.views ?? []) as unknown as NamedView[]).map(
      (named): Target => ({
        key: `view ${named.name}`,
        group: "view",
        label: named.name,
        hint: "kept view",
        go: () => {
          openStage(named.stage);
          setTimeout(() => view.current && applyView(view.current, named), 300);
        },
      }),
    ),
    ...(study.data?.variants ?? [])
      .filter((v) => v.id !== variantId)
      .map(
        (v): Target => ({
          key: `variant ${v.id}`,
          group: "variant",
          label: v.name,
          hint: "open it",
          go: () => go({ study: studyId, variant: v.id, stage }),
        }),
      ),
    ...ACTS.map(
      ([label, hint, act]): Target => ({
        key: `act ${label}`,
        group: "action",
        label,
        hint,
        go: () => act(view.current),
      }),
    ),
  ];
  // what failed is drawn anew when one goes elsewhere or the study changes
  const around = [variantId, stage, variant.data];
  return (
    <Context.Provider value={bench}>
      <div className="grid h-full grid-cols-[236px_minmax(0,1fr)_348px] grid-rows-[46px_minmax(0,1fr)_116px]">
        <Guarded name="The header" again={around}>
          <Header
            study={study.data}
            undo={() => undo.mutate()}
            redo={() => redo.mutate()}
            refresh={() => client.invalidateQueries({ queryKey: ["studies"] })}
            help={() => setSheet(true)}
            search={() => setSearch(true)}
          />
        </Guarded>
        <Guarded name="The ledger" again={around}>
          <Ledger />
        </Guarded>
        <Guarded name="The model" again={around}>
          <ModelView
            ready={(v) => {
              view.current = v;
            }}
          />
        </Guarded>
        <Clash />
        <Guarded name="The brief" again={around}>
          {/* who only looks changes nothing */}
          <fieldset disabled={study.data.role === "look"} className="contents">
            <Brief trouble={trouble} />
          </fieldset>
        </Guarded>
        <Guarded name="The strip" again={around}>
          <Strip />
        </Guarded>
      </div>
      {search && <Goto targets={targets()} close={() => setSearch(false)} />}
      <Shortcuts open={sheet} close={() => setSheet(false)} />
    </Context.Provider>
  );
}
