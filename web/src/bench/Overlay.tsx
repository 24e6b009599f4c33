import { measure } from "../parts/numbers";
import { pageOf } from "../stages/registry";
import { useBench, zonesOf } from "../study/context";
import { useMoves } from "../study/useMoves";
import { niceLength } from "../view/picture";
import { type Mark, useViewStore } from "../view/store";
import type { Viewport } from "../view/viewport";
import { RulerLines } from "./Ruler";

const TONES: Record<Mark["tone"], string> = {
  ink: "border-ink bg-sheet text-ink",
  accent: "border-verdigris bg-verdigris text-paper",
  caution: "border-ochre bg-sheet text-ochre",
  error: "border-madder bg-madder text-paper",
  quiet: "border-line bg-sheet text-soft",
};

export function Overlay({ view }: { view: Viewport }) {
  useMoves(view);
  const stored = useViewStore((s) => s.marks);
  const bench = useBench();
  const { unit, stage } = bench;
  const moved = useViewStore((s) => s.apart) && zonesOf(bench.variant) !== null;
  // what has been moved apart is no longer where its marks are
  const marks = moved ? [] : [...(pageOf(stage).marks?.(bench) ?? []), ...stored];
  const length = niceLength(view.unitsPerPixel * 130);
  const pixels = length / view.unitsPerPixel;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      <RulerLines view={view} />
      {marks.map((mark) => {
        const [x, y] = view.project(mark.at);
        // near the right edge the label hangs to the left
        const left = x > view.width - 130;
        // pins hang below, so that they keep clear of the openings they lie behind; so does what
        // would be cut off at the upper edge
        const below = mark.tone === "accent" || y < 36;
        return (
          <div key={mark.id} className="absolute" style={{ left: x, top: y }}>
            <span className="absolute -left-[3px] -top-[3px] h-[6px] w-[6px] rounded-full border border-ink bg-sheet" />
            <span className={`absolute left-0 h-4 w-px bg-ink ${below ? "top-0" : "bottom-0"}`} />
            <span
              title={mark.title}
              className={`absolute whitespace-nowrap ${below ? "top-4" : "bottom-4"} ${left ? "-right-2" : "left-0 -translate-x-2"} border px-1.5 text-[11.5px] leading-[17px] ${TONES[mark.tone]}`}
            >
              {mark.text}
            </span>
          </div>
        );
      })}
      <div className="absolute bottom-4 left-28" aria-hidden="true">
        <div className="h-1.5 border-x border-b border-ink" style={{ width: pixels }} />
        <div className="mt-0.5 text-[11.5px]">
          {measure(length)} {unit}
        </div>
      </div>
    </div>
  );
}
