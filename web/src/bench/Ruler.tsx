import { useCallback, useState } from "react";
import { post } from "../api/client";
import { useSettings } from "../api/queries";
import type { Operation } from "../api/reports";
import { measure } from "../parts/numbers";
import { pageOf } from "../stages/registry";
import { stateOf, useBench } from "../study/context";
import { type Measured, type Place, useViewStore } from "../view/store";
import type { Viewport } from "../view/viewport";

/** The face of a place that lies on none: within the mesh, on a cell of a slice. */
export const NOWHERE = -1;

/** Between places of which one lies on no face there is only the straight way. */
export function between(places: Place[]): Measured {
  const at = places.map((p) => p.at);
  const [a, b] = at;
  if (!b) return { at };
  const along = b.map((x, k) => x - a![k]!);
  return { at, distance: Math.hypot(...along), along };
}

/** What a touch of the ruler does: the first place, then the second, then anew. */
export function useRuler(stage: "geometry" | "domain") {
  const { variant } = useBench();
  return useCallback(
    async (place: Place) => {
      const { touched, setTouched } = useViewStore.getState();
      const next = touched.length === 1 ? [...touched, place] : [place];
      setTouched(next, null);
      if (next.some((p) => p.face === NOWHERE)) {
        setTouched(next, between(next));
        return;
      }
      try {
        const found = await post<Measured>(`variants/${variant.id}/stages/${stage}/measure`, {
          first: next[0],
          second: next[1] ?? null,
        });
        if (useViewStore.getState().touched === next) setTouched(next, found);
      } catch {
        setTouched([], null);
      }
    },
    [variant.id, stage],
  );
}

export function RulerLines({ view }: { view: Viewport }) {
  const measured = useViewStore((s) => s.measured);
  const touched = useViewStore((s) => s.touched);
  const tool = useViewStore((s) => s.tool);
  const { unit } = useBench();
  if (tool !== "ruler" || touched.length === 0) return null;
  const places = (measured?.at ?? touched.map((t) => t.at)).map((p) => view.project(p));
  const [a, b] = places;
  const middle: [number, number] = b ? [(a![0] + b[0]) / 2, (a![1] + b[1]) / 2] : a!;
  return (
    <>
      <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
        {b && <line x1={a![0]} y1={a![1]} x2={b[0]} y2={b[1]} stroke="#226a5f" strokeWidth="1.6" />}
        {places.map(([x, y], k) => (
          <g key={k === 0 ? "first" : "second"} stroke="#226a5f" strokeWidth="1.6">
            <line x1={x - 6} y1={y + 6} x2={x + 6} y2={y - 6} />
            <circle cx={x} cy={y} r="2" fill="#226a5f" />
          </g>
        ))}
      </svg>
      {measured && (
        <span
          role="status"
          className="absolute whitespace-nowrap border border-verdigris bg-sheet px-1.5 text-[12px] leading-[18px]"
          style={{ left: middle[0] + 10, top: middle[1] - 9 }}
        >
          {words(measured, unit)}
        </span>
      )}
    </>
  );
}

/** The main result in few words, for the place that was touched. */
export function words(m: Measured, unit: string): string {
  if (m.distance !== undefined) return `${measure(m.distance, 5)} ${unit}`;
  const out = [];
  if (m.diameter !== undefined) out.push(`⌀ ${measure(m.diameter, 5)} ${unit}`);
  if (m.thickness !== undefined) out.push(`wall ${measure(m.thickness, 5)} ${unit}`);
  return out.join(", ") || "a second place …";
}

/** All that the ruler knows, and the correction of a wrong unit. */
export function RulerPanel() {
  const { variant, stage, unit } = useBench();
  const measured = useViewStore((s) => s.measured);
  const touched = useViewStore((s) => s.touched);
  const settings = useSettings(variant.id);
  const [wanted, setWanted] = useState("");
  if (stateOf(variant, stage).condition === "looking")
    return <p className="text-soft">It measures as soon as the part has been looked through.</p>;
  if (touched.length === 0)
    return (
      <p className="text-soft">
        Touch a place for radius and wall thickness, a second one for distance and angle.
      </p>
    );
  if (!measured) return <p className="text-soft">measuring …</p>;
  const rows: [string, string][] = [];
  const length = (words: string, value?: number) =>
    value !== undefined && rows.push([words, `${measure(value, 6)} ${unit}`]);
  if (measured.at.length === 1)
    rows.push(["at x, y, z", measured.at[0]!.map((v) => measure(v, 5)).join(", ")]);
  length("Distance", measured.distance);
  if (measured.along)
    rows.push(["along x, y, z", measured.along.map((v) => measure(v, 4)).join(", ")]);
  length("Faces apart", measured.between_faces);
  if (measured.angle !== undefined)
    rows.push(["Normals turn by", `${measure(measured.angle, 4)}°`]);
  length("Radius", measured.radius);
  length("Diameter", measured.diameter);
  length("Wall thickness", measured.thickness);
  const scalable = measured.distance ?? measured.diameter;
  const scale = () => {
    const value = Number(wanted.replace(",", "."));
    if (!scalable || !(value > 0)) return;
    const list = (stateOf(variant, "geometry").settings?.repairs ?? []) as Operation[];
    const factor = value / scalable;
    settings.mutate({
      geometry: { repairs: [...list, { do: "scale", on: true, factor }] },
    });
    setWanted("");
  };
  return (
    <>
      <dl className="grid grid-cols-[auto_1fr] gap-x-3">
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-soft">{name}</dt>
            <dd className="text-right">{value}</dd>
          </div>
        ))}
      </dl>
      {pageOf(stage).part && scalable !== undefined && (
        <p className="mt-1.5 flex items-center gap-1.5">
          This length should be
          <input
            aria-label="what this length should be"
            className="blank w-16"
            inputMode="decimal"
            value={wanted}
            onChange={(e) => setWanted(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && scale()}
          />
          {unit}
          <button type="button" className="quiet" disabled={!wanted} onClick={scale}>
            Scale
          </button>
        </p>
      )}
    </>
  );
}
