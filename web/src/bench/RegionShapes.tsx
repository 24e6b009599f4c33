import { type PointerEvent, useState } from "react";
import { useSettings } from "../api/queries";
import type { Viewport } from "../view/viewport";
import { stateOf, useBench } from "./context";
import { centre, inSpace, moved, outline, type Region } from "./regions";
import { useMoves } from "./useMoves";

/** Refinement regions in the model, each with a label by which it is dragged. */
export function RegionShapes({ view }: { view: Viewport }) {
  useMoves(view);
  const { variant, stage } = useBench();
  const settings = useSettings(variant.id);
  const own = stateOf(variant, "sizing").settings;
  const [drag, setDrag] = useState<{ name: string; by: number[] } | null>(null);
  if (stage !== "sizing" || !own) return null;
  const regions = ((own.regions as Region[]) ?? []).filter((r) => typeof r.name === "string");
  const shown = regions.map((r) => (drag?.name === r.name ? moved(r, drag.by) : r));
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
        {shown.flatMap((region) =>
          outline(region).map((line, k) => (
            <polyline
              // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a shape keep their order
              key={`${region.name} ${k}`}
              points={line.map((p) => view.project(p).join(",")).join(" ")}
              fill="none"
              stroke="#226a5f"
              strokeWidth="1.3"
              strokeDasharray="7 3 1.5 3"
            />
          )),
        )}
      </svg>
      {shown.map((region, k) => {
        const at = centre(region);
        if (!at) return null;
        const [x, y] = view.project(at);
        const press = (event: PointerEvent<HTMLButtonElement>) => {
          const button = event.currentTarget;
          button.setPointerCapture(event.pointerId);
          const from = [event.clientX, event.clientY] as const;
          let by = [0, 0, 0];
          const move = (e: globalThis.PointerEvent) => {
            by = inSpace(
              at,
              [e.clientX - from[0], e.clientY - from[1]],
              (p) => view.project(p) as [number, number],
              view.unitsPerPixel * 20,
            );
            setDrag({ name: region.name, by });
          };
          const release = () => {
            button.removeEventListener("pointermove", move);
            button.removeEventListener("pointerup", release);
            setDrag(null);
            if (by.some((v) => v !== 0)) {
              const next = regions.map((r, i) => (i === k ? moved(r, by) : r));
              settings.mutate({ sizing: { regions: next } });
            }
          };
          button.addEventListener("pointermove", move);
          button.addEventListener("pointerup", release);
        };
        return (
          <button
            key={region.name}
            type="button"
            aria-label={`region ${region.name}: drag, or type its place in the brief`}
            className="pointer-events-auto absolute -translate-x-1/2 -translate-y-1/2 cursor-grab border border-verdigris bg-sheet px-1.5 text-[11px] leading-[17px]"
            style={{ left: x, top: y }}
            onPointerDown={press}
          >
            {region.name}
          </button>
        );
      })}
    </div>
  );
}
