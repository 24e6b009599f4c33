import type { ReactNode } from "react";
import { measure } from "../parts/numbers";
import { meshOf, useBench } from "../study/context";
import { AXES, axisOf, type Placed } from "../view/planes";
import { type Side, useViewStore } from "../view/store";

/** Signs of the rail, drawn as in a section: the cut heavy, what lies behind it light. */
const SIDES: [Side, ReactNode, string][] = [
  [
    "behind",
    <g key="behind">
      <rect x="8" y="3" width="6" height="10" fill="currentColor" opacity="0.35" />
      <path d="M8 2v12" strokeWidth="2" />
    </g>,
    "cells of the plane, and the surface behind it",
  ],
  ["plane", <path key="plane" d="M8 2v12" strokeWidth="2" />, "only the cells of the plane"],
  [
    "both",
    <g key="both">
      <rect x="2" y="3" width="12" height="10" fill="currentColor" opacity="0.35" />
      <path d="M8 2v12" strokeWidth="2" />
    </g>,
    "the whole surface too",
  ],
];

const CUTS: [{ flat: boolean; peel: boolean }, ReactNode, string][] = [
  [
    { flat: false, peel: false },
    <path key="whole" d="M2 9l3-4 3 5 3-6 3 5" fill="none" />,
    "whole cells",
  ],
  [
    { flat: true, peel: false },
    <path key="flat" d="M2 8h12M5 5v6M9 5v6M12 5v6" fill="none" />,
    "flat cut",
  ],
];

/** Layers on a wall, nothing over them. */
const PEEL: (typeof CUTS)[number] = [
  { flat: false, peel: true },
  <path key="peel" d="M2 13h12M2 10.5h12M2 7.5h12" fill="none" />,
  "layers alone, behind the plane",
];

function Sign({ children }: { children: ReactNode }) {
  return (
    <svg viewBox="0 0 16 16" className="h-4 w-4" stroke="currentColor" aria-hidden="true">
      {children}
    </svg>
  );
}

export function SliceRail({
  planes,
  late = false,
  panel,
  openPanel,
}: {
  planes: Placed[];
  /** what is drawn is still that of another place */
  late?: boolean;
  panel: boolean;
  openPanel: (open: boolean) => void;
}) {
  const { variant, unit } = useBench();
  const { slice, setSlice, setPlane, setRange, setFocus } = useViewStore();
  const at = planes[slice.active];
  if (!at) return null;
  const axis = axisOf(at.normal);
  const set = (change: Parameters<typeof setSlice>[0]) => {
    setRange(null);
    setFocus(null);
    setSlice({ on: true, ...change });
  };
  return (
    <div
      role="group"
      aria-label="Slice"
      aria-busy={late}
      className="absolute right-3 top-10 flex w-[66px] flex-col items-center gap-1.5 border border-line bg-sheet py-2"
    >
      <button
        type="button"
        className="quiet px-1.5!"
        aria-pressed={slice.on}
        onClick={() => (slice.on ? setSlice({ on: false }) : set({}))}
      >
        slice
      </button>
      <div className="flex">
        {(["x", "y", "z"] as const).map((a) => (
          <button
            key={a}
            type="button"
            className={`w-4 text-center ${axis === a ? "bg-ink text-paper" : ""}`}
            aria-pressed={axis === a}
            aria-label={`slice across ${a}`}
            onClick={() => setPlane({ normal: AXES[a], share: null })}
          >
            {a}
          </button>
        ))}
      </div>
      <input
        type="range"
        aria-label="position of the slice"
        min={0}
        max={1}
        step={0.002}
        value={at.share}
        onChange={(e) => setPlane({ share: Number(e.target.value) })}
        className="h-40 w-4 accent-verdigris"
        style={{ writingMode: "vertical-lr", direction: "rtl" }}
      />
      <span
        title={late ? "the cells shown are those of an earlier place" : undefined}
        className={`text-center text-[11px] leading-tight ${late ? "text-soft" : ""}`}
      >
        {measure(at.offset, 3)}
        <br />
        {unit}
      </span>
      <button
        type="button"
        className="quiet px-1.5!"
        aria-expanded={panel}
        title="any plane, by numbers; more planes"
        onClick={() => openPanel(!panel)}
      >
        {planes.length > 1 ? `${slice.active + 1} of ${planes.length}` : axis ? "plane" : "free"}
      </button>
      <div className="flex">
        {SIDES.map(([side, sign, words]) => (
          <button
            key={side}
            type="button"
            title={words}
            aria-label={words}
            aria-pressed={slice.side === side}
            className={`p-px ${slice.side === side ? "bg-ink text-paper" : ""}`}
            onClick={() => set({ side })}
          >
            <Sign>{sign}</Sign>
          </button>
        ))}
      </div>
      <div className="flex">
        {(meshOf(variant)?.layer_cells ? [...CUTS, PEEL] : CUTS).map(([kind, sign, words]) => (
          <button
            key={words}
            type="button"
            title={words}
            aria-label={words}
            aria-pressed={slice.flat === kind.flat && slice.peel === kind.peel}
            className={`p-px ${slice.flat === kind.flat && slice.peel === kind.peel ? "bg-ink text-paper" : ""}`}
            onClick={() => set(kind)}
          >
            <Sign>{sign}</Sign>
          </button>
        ))}
      </div>
    </div>
  );
}
