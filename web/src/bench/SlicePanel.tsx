import { useState } from "react";
import { measure } from "../parts/numbers";
import { reportOf, useBench } from "../study/context";
import { AXES, axisOf, centreOf, type Placed, shareThrough, unit as unitOf } from "../view/planes";
import { useViewStore } from "../view/store";
import type { Viewport } from "../view/viewport";

const MOST = 3;

/** A plane in numbers: a point and a normal, typed; square to the view; through a picked place. */
export function SlicePanel({ view, planes }: { view: Viewport; planes: Placed[] }) {
  const { variant, unit } = useBench();
  const { slice, setSlice, setPlane, tool, setTool } = useViewStore();
  const space = reportOf(variant, "domain");
  const at = planes[slice.active];
  if (!space || !at) return null;
  const point = centreOf(at, space);
  const along = (normal: number[]) => {
    const next = unitOf(normal);
    if (!next) return false;
    // the plane turns about the place it shows in the middle
    setPlane({ normal: next, share: shareThrough(next, point, space) });
    return true;
  };
  const through = (place: number[]) => {
    setPlane({ share: shareThrough(at.normal, place, space) });
    return true;
  };
  return (
    <section
      aria-label="Planes"
      className="absolute right-[88px] top-10 w-60 border border-ink bg-sheet px-2.5 py-2"
    >
      <div className="flex items-center gap-1">
        {planes.map((p, k) => (
          <button
            // biome-ignore lint/suspicious/noArrayIndexKey: planes have no names of their own
            key={k}
            type="button"
            className="quiet px-2!"
            aria-pressed={k === slice.active}
            onClick={() => setSlice({ active: k })}
          >
            {k + 1} {axisOf(p.normal) ?? "free"}
          </button>
        ))}
        {planes.length < MOST && (
          <button
            type="button"
            className="quiet px-2!"
            aria-label="another plane"
            title="another plane, up to three"
            onClick={() => {
              const free = (["x", "y", "z"] as const).find(
                (a) => !planes.some((p) => axisOf(p.normal) === a),
              );
              const made = { normal: AXES[free ?? "x"], share: null };
              setSlice({ on: true, planes: [...slice.planes, made], active: planes.length });
            }}
          >
            +
          </button>
        )}
        {planes.length > 1 && (
          <button
            type="button"
            className="quiet ml-auto px-2!"
            aria-label="drop this plane"
            title="drop this plane"
            onClick={() =>
              setSlice({ planes: slice.planes.filter((_, k) => k !== slice.active), active: 0 })
            }
          >
            −
          </button>
        )}
      </div>
      <Triple label="through" unit={unit} value={point} change={through} />
      <Triple label="normal" unit="" value={at.normal} change={along} />
      <div className="mt-2 flex gap-1 whitespace-nowrap">
        <button
          type="button"
          className="quiet"
          title="square to the view"
          onClick={() => along(view.towards())}
        >
          Square to view
        </button>
        <button
          type="button"
          className="quiet"
          aria-pressed={tool === "cut"}
          title="through a place that you click in the model"
          onClick={() => setTool(tool === "cut" ? "turn" : "cut")}
        >
          Through …
        </button>
      </div>
      {tool === "cut" && <p className="mt-1 text-verdigris">Click the place in the model.</p>}
    </section>
  );
}

/** Three numbers that are taken together, once each is one. */
function Triple({
  label,
  unit,
  value,
  change,
}: {
  label: string;
  unit: string;
  value: number[];
  change: (value: number[]) => boolean;
}) {
  const [typed, setTyped] = useState<string[] | null>(null);
  const [wrong, setWrong] = useState(false);
  const shown = typed ?? value.map((v) => measure(v, 4).replace(/,/g, ""));
  const take = () => {
    if (!typed) return;
    const numbers = typed.map((t) => (t.trim() === "" ? Number.NaN : Number(t)));
    const good = numbers.every(Number.isFinite) && change(numbers);
    setWrong(!good);
    if (good) setTyped(null);
  };
  return (
    <div className="mt-2 flex items-baseline gap-1">
      <span className="w-20 shrink-0 whitespace-nowrap text-soft">
        {label}
        {unit && `, ${unit}`}
      </span>
      {["x", "y", "z"].map((axis, k) => (
        <input
          key={axis}
          aria-label={`${label} ${axis}`}
          className={`blank w-0 min-w-0 flex-1 ${wrong ? "wrong" : ""}`}
          inputMode="decimal"
          value={shown[k]}
          onChange={(e) => setTyped(shown.map((v, i) => (i === k ? e.target.value : v)))}
          onBlur={take}
          onKeyDown={(e) => {
            if (e.key === "Enter") take();
            if (e.key === "Escape") {
              setTyped(null);
              setWrong(false);
            }
          }}
        />
      ))}
      {wrong && (
        <span role="alert" className="sr-only">
          {label} needs three numbers
          {label === "normal" ? ", not all of them zero" : ""}
        </span>
      )}
    </div>
  );
}
