import { useEffect, useMemo, useRef, useState } from "react";
import { useView } from "../api/queries";
import { Progress } from "../bench/Header";
import { looksOf } from "../bench/looks";
import { useCells } from "../bench/useCells";
import { count } from "../parts/numbers";
import { useTheme } from "../parts/theme";
import { meshOf, stateGiving, useBench } from "../study/context";
import { useViewStore } from "../view/store";
import { Viewport } from "../view/viewport";

/** One variant's mesh among others: its own drawing, everyone's camera, slice and colours. */
export function Pane({ made }: { made: (view: Viewport | null) => void }) {
  const { variant, job, lastJob } = useBench();
  const host = useRef<HTMLDivElement>(null);
  const [view, setView] = useState<Viewport | null>(null);
  const state = stateGiving(variant, "mesh");
  const current = state.condition === "current";
  const data = useView(variant.id, state.stage, current ? state.product : null);
  const { seeThrough } = useViewStore();
  const report = meshOf(variant);

  // biome-ignore lint/correctness/useExhaustiveDependencies: made once for the element's life
  useEffect(() => {
    if (!host.current) return;
    const own = new Viewport(host.current, 24, false);
    setView(own);
    made(own);
    return () => {
      made(null);
      own.dispose();
      setView(null);
    };
  }, []);

  useEffect(() => {
    if (!view || !data.data) return;
    const a = data.data.arrays;
    view.setSurface(
      {
        points: a.points as Float32Array,
        triangles: a.triangles as Int32Array,
        region: a.region as Int32Array,
        ...(a.sides && { sides: a.sides as Uint8Array }),
      },
      true,
      null,
      false,
    );
  }, [view, data.data]);

  const looks = useMemo(() => looksOf(variant, "fluid", seeThrough), [variant, seeThrough]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface needs its look again
  useEffect(() => {
    view?.setLook(looks, [], null, []);
  }, [view, looks, data.data]);

  const theme = useTheme((s) => s.theme);
  useEffect(() => view?.setTheme(theme), [view, theme]);

  const cells = useCells(view, current);
  const failed = !job && !current && lastJob?.state === "failed";
  return (
    <section
      aria-label={`Mesh of ${variant.name}`}
      aria-busy={cells.late}
      className="relative min-w-0 overflow-hidden border-l border-line"
    >
      <div ref={host} className="absolute inset-0" />
      <p className="absolute left-2 top-1.5 max-w-[90%] truncate bg-paper/85 px-1">
        <b>{variant.name}</b>
        {current && report && <span className="text-soft"> {count(report.cells)} cells</span>}
      </p>
      {!current && (
        <div className="absolute inset-0 grid place-items-center bg-paper/90 p-4">
          <div className="w-full max-w-72">
            {job ? (
              <Progress job={job} />
            ) : failed ? (
              <p role="alert" className="text-madder">
                ✕ {lastJob?.problem?.message ?? "The run failed."}
              </p>
            ) : (
              <p className="sentence text-soft">
                {state.condition === "outdated"
                  ? "Its mesh is out of date: open the variant and fill the volume again."
                  : "It has no mesh yet: open the variant and fill the volume."}
              </p>
            )}
          </div>
        </div>
      )}
      {current && data.isPending && (
        <p className="absolute inset-0 grid place-items-center text-soft">drawing …</p>
      )}
      {(cells.error ?? data.error?.message) && (
        <p
          role="alert"
          className="absolute bottom-2 left-2 border border-madder bg-sheet p-1 text-madder"
        >
          ✕ {cells.error ?? data.error?.message}
        </p>
      )}
    </section>
  );
}
