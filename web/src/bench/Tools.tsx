import { pageOf } from "../stages/registry";
import { reportOf, useBench, zonesOf } from "../study/context";
import { type Tool, useViewStore } from "../view/store";
import type { Viewport } from "../view/viewport";
import { RulerPanel } from "./Ruler";

const TOOLS: { tool: Tool; words: string; title: string }[] = [
  { tool: "turn", words: "turn", title: "drag turns, click selects (T)" },
  { tool: "box", words: "box", title: "drag selects all faces wholly in a box (B)" },
  { tool: "swatch", words: "swatch", title: "draw a piece of mesh in true size where you touch" },
  { tool: "ruler", words: "ruler", title: "measure between places, faces, edges (M)" },
];

const ALWAYS: Tool[] = ["turn", "box", "ruler"];

/** What the pointer does in the model. */
export function Tools({ view }: { view: Viewport }) {
  const { variant, stage } = useBench();
  const { tool, setTool, before, setBefore, seeThrough, setSeeThrough, apart, setApart } =
    useViewStore();
  const geometry = reportOf(variant, "geometry");
  const domain = reportOf(variant, "domain");
  const page = pageOf(stage);
  const changed = page.part && geometry?.log?.some((r) => r.on && !r.problem);
  const roles = page.part ? [] : (domain?.faces.map((f) => f.role) ?? []);
  const around = roles.includes("far");
  const hides = around || roles.includes("sheet");
  const zones = page.part ? null : zonesOf(variant);
  const sized = reportOf(variant, "sizing") !== null;
  return (
    <>
      {tool === "ruler" && (
        <div className="absolute left-3 top-3 w-72 border border-ink bg-sheet px-3 py-2">
          <RulerPanel />
        </div>
      )}
      <div className="absolute bottom-3 right-3 flex flex-col items-end gap-1.5">
        {tool === "pin" && (
          <p className="border border-verdigris bg-sheet px-3 py-1">
            Click through an opening or wall: the pin goes into the space behind it. Esc leaves it.
          </p>
        )}
        <div role="toolbar" aria-label="Tools" className="flex gap-1 bg-paper/85 p-1">
          {TOOLS.filter(
            (t) =>
              ALWAYS.includes(t.tool) ||
              (page.tools.includes(t.tool) && (t.tool !== "swatch" || sized)),
          ).map((t) => (
            <button
              key={t.tool}
              type="button"
              className="quiet"
              title={t.title}
              aria-pressed={tool === t.tool}
              onClick={() => setTool(t.tool)}
            >
              {t.words}
            </button>
          ))}
          {changed && (
            <button
              type="button"
              className="quiet ml-2"
              aria-pressed={before}
              title="the geometry as it was read, before any repair"
              onClick={() => setBefore(!before)}
            >
              as read
            </button>
          )}
          {hides && (
            <button
              type="button"
              className="quiet ml-2"
              aria-pressed={seeThrough}
              title={`look through the near ${around ? "sides of the enclosure" : "walls, at the sheets"}`}
              onClick={() => setSeeThrough(!seeThrough)}
            >
              see through
            </button>
          )}
          {zones && (
            <button
              type="button"
              className="quiet"
              aria-pressed={apart}
              title="draw the zones apart, one after the other"
              onClick={() => setApart(!apart)}
            >
              zones apart
            </button>
          )}
          {around && geometry && (
            <button
              type="button"
              className="quiet"
              title="come near the body"
              onClick={() => view.frame(geometry.low, geometry.high)}
            >
              body
            </button>
          )}
        </div>
      </div>
    </>
  );
}
