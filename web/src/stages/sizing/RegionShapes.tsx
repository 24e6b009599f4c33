import { Fragment, type PointerEvent, useState } from "react";
import { useSettings } from "../../api/queries";
import {
  centre,
  type Handle,
  handles,
  inSpace,
  moved,
  outline,
  type Region,
} from "../../blanks/regions";
import { stateOf, useBench } from "../../study/context";
import { useMoves } from "../../study/useMoves";
import type { Viewport } from "../../view/viewport";

/** Refinement regions in the model: dragged by their label, stretched by the knobs around it. */
export function RegionShapes({ view }: { view: Viewport }) {
  useMoves(view);
  const { variant } = useBench();
  const settings = useSettings(variant.id);
  const own = stateOf(variant, "sizing").settings;
  const [drag, setDrag] = useState<Region | null>(null);
  if (!own) return null;
  const regions = ((own.regions as Region[]) ?? []).filter((r) => typeof r.name === "string");
  const shown = regions.map((r) => (drag?.name === r.name ? drag : r));
  const put = (k: number, region: Region) =>
    settings.mutate({ sizing: { regions: regions.map((r, i) => (i === k ? region : r)) } });
  // follow the pointer from a press on; what() says what a shift in pixels makes of the region
  const follow = (
    event: PointerEvent<HTMLButtonElement>,
    k: number,
    what: (pixels: [number, number]) => Region,
  ) => {
    const button = event.currentTarget;
    button.setPointerCapture(event.pointerId);
    const from = [event.clientX, event.clientY] as const;
    let made: Region | null = null;
    const move = (e: globalThis.PointerEvent) => {
      made = what([e.clientX - from[0], e.clientY - from[1]]);
      setDrag(made);
    };
    const release = () => {
      button.removeEventListener("pointermove", move);
      button.removeEventListener("pointerup", release);
      setDrag(null);
      if (made) put(k, made);
    };
    button.addEventListener("pointermove", move);
    button.addEventListener("pointerup", release);
  };
  const project = (p: number[]) => view.project(p) as [number, number];
  const step = view.unitsPerPixel * 20;
  const pulled = (handle: Handle, pixels: [number, number]) => {
    const [x, y] = project(handle.at);
    const [x1, y1] = project(handle.at.map((v, i) => v + step * (handle.out[i] ?? 0)));
    const way = [(x1 - x) / step, (y1 - y) / step] as const;
    const square = way[0] ** 2 + way[1] ** 2;
    // a way that points at the eye cannot be followed
    if (square * view.unitsPerPixel ** 2 < 0.02) return handle.pull(0);
    return handle.pull((pixels[0] * way[0] + pixels[1] * way[1]) / square);
  };
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
        const press = (event: PointerEvent<HTMLButtonElement>) =>
          follow(event, k, (pixels) => moved(regions[k]!, inSpace(at, pixels, project, step)));
        return (
          <Fragment key={region.name}>
            {handles(region).map((handle, i) => {
              const [hx, hy] = view.project(handle.at);
              return (
                <button
                  // biome-ignore lint/suspicious/noArrayIndexKey: the knobs of a shape keep their order
                  key={i}
                  type="button"
                  title={`${handle.words} of ${region.name}`}
                  aria-label={`${handle.words} of region ${region.name}: drag, or type it in the brief`}
                  className="pointer-events-auto absolute h-[11px] w-[11px] -translate-x-1/2 -translate-y-1/2 cursor-grab border border-verdigris bg-sheet"
                  style={{ left: hx, top: hy }}
                  onPointerDown={(event) => {
                    const own = handles(regions[k]!)[i]!;
                    follow(event, k, (pixels) => pulled(own, pixels));
                  }}
                />
              );
            })}
            <button
              type="button"
              aria-label={`region ${region.name}: drag, or type its place in the brief`}
              className="pointer-events-auto absolute -translate-x-1/2 -translate-y-1/2 cursor-grab border border-verdigris bg-sheet px-1.5 text-[11px] leading-[17px]"
              style={{ left: x, top: y }}
              onPointerDown={press}
            >
              {region.name}
            </button>
          </Fragment>
        );
      })}
    </div>
  );
}
