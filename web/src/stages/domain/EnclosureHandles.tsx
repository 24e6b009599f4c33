import { useQuery } from "@tanstack/react-query";
import { type PointerEvent, useEffect, useMemo, useState } from "react";
import { get } from "../../api/client";
import { useSettings } from "../../api/queries";
import { measure } from "../../parts/numbers";
import { stateOf, useBench } from "../../study/context";
import { useMoves } from "../../study/useMoves";
import type { Viewport } from "../../view/viewport";
import { type Enclosure, enclosureLines, handlesOf, stretched } from "./enclosure";

/** The enclosure that the settings ask for, drawn around the part, with a handle on each side. */
export function EnclosureHandles({ view }: { view: Viewport }) {
  useMoves(view);
  const { variant } = useBench();
  const settings = useSettings(variant.id);
  const state = stateOf(variant, "domain");
  const own = state.settings;
  const wanted = own?.where === "around";
  const asked = JSON.stringify(own);
  const product = stateOf(variant, "geometry").product;
  const enclosure = useQuery({
    queryKey: ["enclosure", variant.id, product, asked],
    queryFn: () => get<Enclosure>(`variants/${variant.id}/enclosure`),
    enabled: wanted && product !== null && !settings.isPending,
    placeholderData: (old) => old,
  });
  const [drag, setDrag] = useState<{ name: string; share: number } | null>(null);
  const shape = useMemo(() => {
    if (!enclosure.data) return null;
    return drag ? stretched(enclosure.data, drag.name, drag.share) : enclosure.data;
  }, [enclosure.data, drag]);

  useEffect(() => {
    view.setGuide(wanted && shape ? enclosureLines(shape) : null);
    return () => view.setGuide(null);
  }, [view, wanted, shape]);

  // come back from far enough to see all of it, once
  const first = wanted && enclosure.data ? `${variant.id} ${own?.shape}` : "";
  // biome-ignore lint/correctness/useExhaustiveDependencies: once per enclosure, not per drag
  useEffect(() => {
    if (enclosure.data && wanted && state.condition !== "current")
      view.frame(enclosure.data.low, enclosure.data.high);
  }, [first, view]);

  if (!wanted || !shape || !own) return null;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {handlesOf(shape).map((handle) => {
        const [x, y] = view.project(handle.at);
        const value = drag?.name === handle.name ? drag.share : (own[handle.name] as number);
        const press = (event: PointerEvent<HTMLButtonElement>) => {
          const button = event.currentTarget;
          button.setPointerCapture(event.pointerId);
          const end = handle.at.map((v, k) => v + (handle.out[k] ?? 0) * shape.length);
          const [x1, y1] = view.project(end);
          // pixels on the screen for one body length along the handle's way
          const way = [x1 - x, y1 - y] as const;
          const square = way[0] ** 2 + way[1] ** 2;
          const from = [event.clientX, event.clientY] as const;
          const start = own[handle.name] as number;
          let share = start;
          const move = (e: globalThis.PointerEvent) => {
            if (square < 1) return;
            const along =
              ((e.clientX - from[0]) * way[0] + (e.clientY - from[1]) * way[1]) / square;
            share = Number(Math.max(0.05, start + along).toPrecision(3));
            setDrag({ name: handle.name, share });
          };
          const release = () => {
            button.removeEventListener("pointermove", move);
            button.removeEventListener("pointerup", release);
            setDrag(null);
            if (share !== start) settings.mutate({ domain: { [handle.name]: share } });
          };
          button.addEventListener("pointermove", move);
          button.addEventListener("pointerup", release);
        };
        return (
          <button
            key={handle.name}
            type="button"
            aria-label={`distance ${handle.name}: drag, or type it in the brief`}
            className="pointer-events-auto absolute flex -translate-x-1/2 -translate-y-1/2 cursor-grab items-center gap-1 border border-verdigris bg-sheet px-1.5 text-[11px] leading-[17px]"
            style={{ left: x, top: y }}
            onPointerDown={press}
          >
            {handle.name} {measure(value, 3)}
          </button>
        );
      })}
    </div>
  );
}
