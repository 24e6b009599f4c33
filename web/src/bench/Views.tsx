import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, get, patch, type Study } from "../api/client";
import { useStudy } from "../api/queries";
import { measure } from "../parts/numbers";
import { rampOf, useTheme } from "../parts/theme";
import { colouringOf, KINDS } from "../study/colouring";
import { meshOf, metricOf, stateOf, useBench } from "../study/context";
import { composed, save } from "../view/picture";
import { useViewStore, type ViewState } from "../view/store";
import type { Pose, Viewport } from "../view/viewport";

/** What a named view holds: the camera, and what is cut, coloured and hidden. */
export interface NamedView {
  name: string;
  stage: string;
  pose: Pose;
  look: Pick<ViewState, "slice" | "metric" | "hidden" | "seeThrough">;
}

const MOST = 40;

export function applyView(view: Viewport, named: NamedView): void {
  const { setSlice, setMetric, setHidden, setSeeThrough, setFocus } = useViewStore.getState();
  setFocus(null);
  setMetric(named.look.metric);
  setSlice(named.look.slice);
  setHidden(named.look.hidden);
  setSeeThrough(named.look.seeThrough);
  view.setPose(named.pose);
}

/** Views kept by name, and the view as a picture or as lines. */
export function Views({ view }: { view: Viewport }) {
  const bench = useBench();
  const { variant, stage, openStage } = bench;
  const study = useStudy(variant.study).data;
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [trouble, setTrouble] = useState("");
  const views = (study?.views ?? []) as unknown as NamedView[];
  const keep = async (change: (views: NamedView[]) => NamedView[]) => {
    setTrouble("");
    let from = study;
    try {
      for (;;) {
        const held = (from?.views ?? []) as unknown as NamedView[];
        try {
          const asked = { views: change(held) };
          const kept = await patch<Study>(`studies/${variant.study}`, asked, from?.version);
          client.setQueryData(["studies", variant.study], kept);
          return;
        } catch (error) {
          if (!(error instanceof ApiError && error.problem.stale)) throw error;
          // others changed the study meanwhile: the same on top of theirs
          from = await get<Study>(`studies/${variant.study}`);
        }
      }
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : String(error));
    }
  };
  const add = () => {
    const words = name.trim();
    if (!words) return;
    const { slice, metric, hidden, seeThrough } = useViewStore.getState();
    const look = { slice, metric, hidden, seeThrough };
    const added = { name: words, stage, pose: view.pose(), look };
    keep((held) => [...held.filter((v) => v.name !== words), added]);
    setName("");
  };
  return (
    <Popover className="absolute bottom-[101px] left-[66px]">
      <PopoverButton className="quiet bg-paper! py-0! text-[11.5px]">views</PopoverButton>
      <PopoverPanel className="absolute bottom-6 left-0 z-30 w-64 border border-ink bg-sheet p-3">
        <h2 className="caps">views of this study</h2>
        {views.length === 0 && <p className="text-soft">None is kept yet.</p>}
        <ul>
          {views.map((v) => (
            <li key={v.name} className="flex items-center gap-1">
              <button
                type="button"
                className="min-w-0 flex-1 truncate text-left hover:underline"
                onClick={() => {
                  if (v.stage !== stage) openStage(v.stage);
                  applyView(view, v);
                }}
              >
                {v.name}
              </button>
              <button
                type="button"
                aria-label={`forget the view ${v.name}`}
                className="px-1 text-soft hover:text-madder"
                onClick={() => keep((held) => held.filter((other) => other.name !== v.name))}
              >
                ✕
              </button>
            </li>
          ))}
        </ul>
        {views.length < MOST && (
          <input
            aria-label="name of the view at hand"
            className="blank mt-1 w-full"
            placeholder="name this view, Enter"
            maxLength={60}
            value={name}
            onChange={(e) => setName(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && add()}
          />
        )}
        {trouble && (
          <p role="alert" className="mt-1 text-madder">
            ✕ {trouble}
          </p>
        )}
        <Saving view={view} />
      </PopoverPanel>
    </Popover>
  );
}

const SIZES: [number, number][] = [
  [1280, 800],
  [1920, 1080],
  [3840, 2160],
];

/** The view as a file: a picture at a chosen size, or lines. */
function Saving({ view }: { view: Viewport }) {
  const { variant, unit, lists, stage, scale } = useBench();
  const [size, setSize] = useState("1920 × 1080");
  const numbers = size.split(/[×x*, ]+/).map(Number);
  const [width, height] = [numbers[0] ?? 0, numbers[1] ?? 0];
  const good =
    numbers.length === 2 && numbers.every((n) => Number.isInteger(n) && n >= 64 && n <= 8192);
  const title = `${variant.name}-${stage}`.replace(/[^\w-]+/g, "_");
  const legend = () => {
    const { metric, range, slice, focus } = useViewStore.getState();
    const key = range?.metric ?? metric;
    if (
      !stateOf(variant, stage).gives.includes("mesh") ||
      key in KINDS ||
      !(slice.on || range || focus)
    )
      return null;
    const { label, unit: symbol } = metricOf(lists, key);
    const { limits } = colouringOf(lists, meshOf(variant), key, scale);
    const turned = limits[0] > limits[1];
    const ramp = rampOf(useTheme.getState().theme);
    return {
      title: `${label} ${symbol.replace("unit", unit)}`,
      colours: turned ? [...ramp].reverse() : [...ramp],
      least: measure(Math.min(...limits), 3),
      most: measure(Math.max(...limits), 3),
    };
  };
  const png = () => {
    const style = getComputedStyle(document.documentElement);
    const sheet = composed(view.rendered(width, height), {
      width,
      height,
      paper: style.getPropertyValue("--color-paper") || "#f7f3ea",
      ink: style.getPropertyValue("--color-ink") || "#22262b",
      unitsPerPixel: view.unitsPerPixelOf(height),
      unit,
      legend: legend(),
    });
    sheet.toBlob((blob) => blob && save(blob, `${title}.png`), "image/png");
  };
  const svg = () => {
    const text = view.drawing(width, height, `${variant.name}, ${stage}`);
    save(new Blob([text], { type: "image/svg+xml" }), `${title}.svg`);
  };
  return (
    <div className="mt-3 border-t border-line pt-2">
      <h2 className="caps">as a file</h2>
      <div className="mt-1 flex items-center gap-1.5">
        <input
          aria-label="width and height in pixels"
          aria-invalid={!good}
          list="picture sizes"
          className={`blank w-24 ${good ? "" : "wrong"}`}
          value={size}
          onChange={(e) => setSize(e.target.value)}
        />
        <datalist id="picture sizes">
          {SIZES.map(([w, h]) => (
            <option key={w} value={`${w} × ${h}`} />
          ))}
        </datalist>
        <button type="button" className="quiet" disabled={!good} onClick={png}>
          PNG
        </button>
        <button
          type="button"
          className="quiet"
          disabled={!good}
          title="the lines that are seen, as SVG"
          onClick={svg}
        >
          SVG lines
        </button>
      </div>
      {!good && <p className="mt-1 text-madder">Two whole numbers from 64 to 8192.</p>}
    </div>
  );
}
