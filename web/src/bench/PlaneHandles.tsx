import type { PointerEvent } from "react";
import { reportOf, useBench } from "../study/context";
import { useMoves } from "../study/useMoves";
import {
  across,
  centreOf,
  type Placed,
  shareThrough,
  turned,
  unit,
  type Vec,
} from "../view/planes";
import { useViewStore } from "../view/store";
import type { Viewport } from "../view/viewport";

/** Length of a handle's arm in pixels. */
const ARM = 74;
/** One press of an arrow key turns a plane by so many degrees. */
const TILT = 5;

/** A handle in the middle of the plane at hand that moves it, and one at the tip that turns it. */
export function PlaneHandles({
  view,
  planes,
  step,
}: {
  view: Viewport;
  planes: Placed[];
  step: number | null;
}) {
  useMoves(view);
  const { variant } = useBench();
  const { slice, range, focus, setPlane } = useViewStore();
  const space = reportOf(variant, "domain");
  const at = planes[slice.active];
  if (!slice.on || range || focus || !space || !at) return null;
  const middle = centreOf(at, space);
  const length = ARM * view.unitsPerPixel;
  const tip = middle.map((v, k) => v + length * at.normal[k]!) as Vec;
  const [x, y] = view.project(middle);
  const [tx, ty] = view.project(tip);
  const seen = Math.hypot(tx - x, ty - y);

  const dragged = (move: (e: globalThis.PointerEvent) => void) => (event: PointerEvent) => {
    const button = event.currentTarget as HTMLElement;
    button.setPointerCapture(event.pointerId);
    const release = () => {
      button.removeEventListener("pointermove", move);
      button.removeEventListener("pointerup", release);
    };
    button.addEventListener("pointermove", move);
    button.addEventListener("pointerup", release);
  };

  const shift = (way: number) =>
    setPlane({ share: clamp(at.share + way / (at.to - at.from || 1)) });

  const move = (event: PointerEvent) => {
    const from = [event.clientX, event.clientY] as const;
    const start = at.share;
    dragged((e) => {
      // along the arm as it is seen; seen from its end, by the height of the pointer
      const along =
        seen > 8
          ? ((e.clientX - from[0]) * (tx - x) + (e.clientY - from[1]) * (ty - y)) / seen ** 2
          : (from[1] - e.clientY) / ARM;
      setPlane({ share: clamp(start + (along * length) / (at.to - at.from || 1)) });
    })(event);
  };

  const turn = (event: PointerEvent) => {
    const from = [event.clientX, event.clientY] as const;
    dragged((e) => {
      const place = view.unproject(tx + e.clientX - from[0], ty + e.clientY - from[1], tip);
      const normal = unit(place.map((v, k) => v - middle[k]!));
      if (normal) setPlane({ normal, share: shareThrough(normal, middle, space) });
    })(event);
  };

  const tilt = (about: Vec, degrees: number) => {
    const normal = turned(at.normal, about, (degrees * Math.PI) / 180);
    setPlane({ normal, share: shareThrough(normal, middle, space) });
  };

  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
        <line x1={x} y1={y} x2={tx} y2={ty} stroke="var(--color-verdigris)" strokeWidth="2" />
      </svg>
      <button
        type="button"
        aria-label="move the plane: drag, or arrow keys"
        title="drag to move the plane"
        className="pointer-events-auto absolute h-4 w-4 -translate-x-1/2 -translate-y-1/2 cursor-grab border-2 border-verdigris bg-sheet"
        style={{ left: x, top: y }}
        onPointerDown={move}
        onKeyDown={(e) => {
          const way = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
          if (!way) return;
          e.preventDefault();
          e.stopPropagation();
          shift(way * (step ?? (at.to - at.from) / 100));
        }}
      />
      <button
        type="button"
        aria-label="turn the plane: drag, or arrow keys"
        title="drag to turn the plane"
        className="pointer-events-auto absolute h-4 w-4 -translate-x-1/2 -translate-y-1/2 cursor-move rounded-full border-2 border-verdigris bg-sheet"
        style={{ left: tx, top: ty }}
        onPointerDown={turn}
        onKeyDown={(e) => {
          const [first, second] = across(at.normal);
          const acts: Record<string, [Vec, number]> = {
            ArrowLeft: [first, -TILT],
            ArrowRight: [first, TILT],
            ArrowUp: [second, TILT],
            ArrowDown: [second, -TILT],
          };
          const act = acts[e.key];
          if (!act) return;
          e.preventDefault();
          e.stopPropagation();
          tilt(...act);
        }}
      />
    </div>
  );
}

const clamp = (share: number) => Math.min(1, Math.max(0, share));
