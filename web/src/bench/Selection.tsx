import { useState } from "react";
import { ApiError, post } from "../api/client";
import { measure } from "../parts/numbers";
import { pageOf } from "../stages/registry";
import { reportOf, stateOf, useBench } from "../study/context";
import { useViewStore } from "../view/store";

const WAYS: [string, string, string][] = [
  ["plane", "plane", "faces on the same plane"],
  ["radius", "radius", "round faces of the same radius"],
  ["size", "size", "faces of the same area"],
  ["connected", "connected", "all that hangs together"],
];

/** What is selected, and what one can do with it. */
export function Selection() {
  const { variant, stage, unit } = useBench();
  const { selected, setSelected, setHidden, hidden, hovered, tool } = useViewStore();
  const [angle, setAngle] = useState("20");
  const [trouble, setTrouble] = useState("");
  const of =
    pageOf(stage).part || !stateOf(variant, "domain").product
      ? ("geometry" as const)
      : ("domain" as const);
  const faces = reportOf(variant, of)?.faces ?? [];
  if (tool === "ruler" || tool === "pin") return null;
  if (selected.length === 0 && hidden.length === 0) {
    const face = hovered === null ? null : faces[hovered];
    return face ? (
      <p className="pointer-events-none absolute right-4 top-3 bg-paper/85 px-1.5 text-[11.5px] text-soft">
        {face.id}
        {face.name ? ` “${face.name}”` : ""}, {face.surface}, {measure(face.area, 3)} {unit}²
      </p>
    ) : null;
  }
  const total = selected.reduce((sum, r) => sum + (faces[r]?.area ?? 0), 0);
  const grow = async (how: string) => {
    setTrouble("");
    try {
      const found = await post<{ faces: string[] }>(`variants/${variant.id}/stages/${of}/select`, {
        faces: selected.map((r) => faces[r]?.id).filter(Boolean),
        how,
        angle: Number(angle) || 20,
      });
      const number = new Map(faces.map((f, k) => [f.id, k]));
      setSelected(found.faces.map((f) => number.get(f) ?? -1).filter((k) => k >= 0));
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : String(error));
    }
  };
  return (
    <div className="absolute left-3 top-3 max-w-[calc(100%-90px)] border border-ink bg-sheet px-2.5 py-1">
      <div className="flex flex-wrap items-center gap-1.5">
        {selected.length > 0 && (
          <>
            <span className="mr-1">
              {selected.length} {selected.length === 1 ? "face" : "faces"}, {measure(total)} {unit}²
            </span>
            <button
              type="button"
              className="quiet"
              title="all the others instead"
              onClick={() =>
                setSelected(faces.map((_, k) => k).filter((k) => !selected.includes(k)))
              }
            >
              All but
            </button>
            <button
              type="button"
              className="quiet"
              onClick={() => {
                setHidden([...hidden, ...selected]);
                setSelected([]);
              }}
            >
              Hide
            </button>
            <button
              type="button"
              className="quiet"
              onClick={() => setHidden(faces.map((_, k) => k).filter((k) => !selected.includes(k)))}
            >
              Only this
            </button>
            <button type="button" className="quiet" onClick={() => setSelected([])}>
              None
            </button>
          </>
        )}
        {hidden.length > 0 && (
          <button type="button" className="quiet" onClick={() => setHidden([])}>
            Show {hidden.length} hidden
          </button>
        )}
      </div>
      {selected.length > 0 && (
        <div className="mt-1 flex flex-wrap items-center gap-1.5 border-t border-line pt-1">
          <span className="text-soft">grow:</span>
          <button
            type="button"
            className="quiet"
            title="over neighbours until an edge is sharper than the angle"
            onClick={() => grow("follow")}
          >
            follow to
          </button>
          <input
            aria-label="angle that stops following, in degrees"
            className="blank w-8"
            inputMode="decimal"
            value={angle}
            onChange={(e) => setAngle(e.target.value)}
          />
          <span className="text-soft">°</span>
          {WAYS.map(([how, words, title]) => (
            <button
              key={how}
              type="button"
              className="quiet"
              title={title}
              onClick={() => grow(how)}
            >
              {words}
            </button>
          ))}
          {trouble && (
            <span role="alert" className="text-madder">
              ✕ {trouble}
            </span>
          )}
        </div>
      )}
    </div>
  );
}
