import { useEffect, useState } from "react";
import { measure } from "../parts/numbers";
import { judgedOf, metricShown } from "../quality/judged";
import { fieldShown, useFlow } from "../stages/case/useFlow";
import { KINDS } from "../study/colouring";
import { metricOf, useBench } from "../study/context";
import type { PickedCell } from "../view/cellLayers";
import { useViewStore } from "../view/store";
import type { Viewport } from "../view/viewport";

/** The cell under the pointer: its number, its value and where; two clicks leave it alone. */
export function CellReadout({ view }: { view: Viewport }) {
  const bench = useBench();
  const { lists, unit } = bench;
  const judged = judgedOf(bench);
  const { metric: shown, range, field: wished, focus: alone } = useViewStore();
  const flow = useFlow();
  const field = bench.stage === "case" && !range && !alone ? fieldShown(flow, wished) : null;
  const [over, setOver] = useState<PickedCell | null>(null);
  const metric = range?.metric ?? metricShown(judged, shown);
  const { label, unit: symbol } = metricOf(lists, metric);

  useEffect(() => {
    let frame = 0;
    let at: { clientX: number; clientY: number } | null = null;
    const look = () => {
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(() => setOver(at && view.cellAt(at)));
    };
    view.onPoint = (event) => {
      at = event;
      look();
    };
    // a slice moves, or the view does, under a pointer that rests
    view.onDrawn = () => {
      if (at) look();
    };
    view.onTwice = (event) => {
      const found = view.cellAt(event);
      if (!found) return;
      const { focus, setFocus } = useViewStore.getState();
      const { cell, value } = found;
      setFocus({ cell, value, metric, rings: focus?.rings ?? 1, words: "" });
    };
    return () => {
      cancelAnimationFrame(frame);
      view.onPoint = () => {};
      view.onDrawn = () => {};
      view.onTwice = () => {};
    };
  }, [view, metric]);

  if (!over) return null;
  const value = field
    ? `, ${field.label.toLowerCase()} ${Number.isNaN(over.value) ? "none" : measure(over.value, 3)} ${field.unit}`
    : metric in KINDS
      ? ""
      : `, ${label.toLowerCase()} ${Number.isNaN(over.value) ? "none" : measure(over.value, 3)}${symbol.replace("unit", ` ${unit}`)}`;
  return (
    <p className="pointer-events-none absolute bottom-[52px] left-28 bg-paper/85 px-1.5 text-[11.5px] text-soft">
      {judged.thing} {over.cell.toLocaleString("en-US")}
      {value}
      <br />
      at {over.at.map((v) => measure(v, 4)).join(", ")} {unit}
    </p>
  );
}
