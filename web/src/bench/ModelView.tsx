import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { binary } from "../api/client";
import { useView } from "../api/queries";
import { measure } from "../parts/numbers";
import { colourOf, PATTERN, RAMP } from "../view/palette";
import { type Mark, useViewStore } from "../view/store";
import { type RegionLook, type StandardView, Viewport } from "../view/viewport";
import { patchOfFace, reportOf, stateOf, useBench } from "./context";
import { SliceRail, shareOf } from "./SliceRail";

/** Which stage's result is drawn at a stage: its own, or the nearest before it that exists. */
const DRAWN: Record<string, string[]> = {
  geometry: ["geometry"],
  domain: ["domain", "geometry"],
  patches: ["domain", "geometry"],
  sizing: ["domain", "geometry"],
  surface: ["surface", "domain", "geometry"],
  volume: ["volume", "surface", "domain", "geometry"],
  case: ["volume", "surface", "domain", "geometry"],
};

const AXIS: Record<string, [number, number, number]> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

export function ModelView({ ready }: { ready: (view: Viewport) => void }) {
  const { variant, stage, job } = useBench();
  const host = useRef<HTMLDivElement>(null);
  const [view, setView] = useState<Viewport | null>(null);
  const drawn = (DRAWN[stage] ?? ["geometry"]).find((s) => stateOf(variant, s).product) ?? null;
  const product = drawn ? stateOf(variant, drawn).product : null;
  const data = useView(variant.id, drawn, product);
  const store = useViewStore();
  const framed = useRef<string>("");

  // biome-ignore lint/correctness/useExhaustiveDependencies: made once for the element's life
  useEffect(() => {
    if (!host.current) return;
    const made = new Viewport(host.current);
    made.onTouch = ({ region, add }) => {
      const { select, setSelected } = useViewStore.getState();
      if (region !== null) select(region, add);
      else if (!add) setSelected([]);
    };
    made.onHover = (region) => {
      if (useViewStore.getState().hovered !== region) useViewStore.getState().hover(region);
    };
    setView(made);
    ready(made);
    return () => {
      made.dispose();
      setView(null);
    };
  }, []);

  // selections refer to faces of the part, or of the fluid: they do not carry over
  const family = drawn === "geometry" ? "part" : "fluid";
  // biome-ignore lint/correctness/useExhaustiveDependencies: on a change of family only
  useEffect(() => {
    store.setSelected([]);
    store.setHidden([]);
  }, [family]);

  useEffect(() => {
    if (!view || !data.data) return;
    const a = data.data.arrays;
    const frame = `${variant.id} ${family}`;
    view.setSurface(
      {
        points: a.points as Float32Array,
        triangles: a.triangles as Int32Array,
        region: a.region as Int32Array,
      },
      drawn === "surface" || drawn === "volume",
      (a.lines as Float32Array | undefined) ?? null,
      framed.current === frame,
    );
    framed.current = frame;
  }, [view, data.data, drawn, family, variant.id]);

  const looks = useMemo<RegionLook[]>(() => {
    if (family === "part") {
      const faces = reportOf(variant, "geometry")?.faces.length ?? 1;
      return Array.from({ length: faces }, () => ({ colour: "#f0ebdf", pattern: 0 }));
    }
    const patches = reportOf(variant, "patches")?.patches ?? [];
    return patchOfFace(variant).map((k) => {
      const kind = patches[k]?.kind ?? "none";
      return {
        colour: k < 0 ? "#f0ebdf" : colourOf(k, kind),
        pattern: PATTERN[kind === "wall" ? "none" : kind] ?? 0,
      };
    });
  }, [variant, family]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface needs its look again
  useEffect(() => {
    view?.setLook(looks, store.selected, store.hovered, store.hidden);
  }, [view, looks, store.selected, store.hovered, store.hidden, data.data]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface needs its lines again
  useEffect(() => {
    view?.setMeshLines(store.lines && (drawn === "surface" || drawn === "volume"));
  }, [view, store.lines, drawn, data.data]);

  const cells = useCells(view, drawn === "volume" && (stage === "volume" || stage === "case"));

  return (
    <section aria-label="Model" className="relative min-h-0 min-w-0 overflow-hidden bg-paper">
      <div ref={host} className="absolute inset-0" />
      {view && <Overlay view={view} />}
      {view && <Compass view={view} />}
      {cells && <SliceRail />}
      {cells && <RampScale />}
      {drawn === null && (
        <p className="sentence absolute inset-0 grid place-items-center text-soft">
          {job ? "The part is being read …" : "Nothing to draw yet. Read the part first."}
        </p>
      )}
      {data.isError && (
        <p
          role="alert"
          className="absolute left-4 top-4 border border-madder bg-sheet p-2 text-madder"
        >
          ✕ {data.error.message}
        </p>
      )}
      {drawn && stateOf(variant, drawn).condition === "outdated" && (
        <p className="absolute left-1/2 top-3 -translate-x-1/2 border border-ochre bg-sheet px-3 py-1 text-ochre">
          ↻ from earlier settings, out of date
        </p>
      )}
      <Selection />
    </section>
  );
}

/** Draw slice or chosen cells; true where the mesh can be sliced. */
function useCells(view: Viewport | null, possible: boolean): boolean {
  const { variant } = useBench();
  const { slice, metric, range } = useViewStore();
  const report = reportOf(variant, "volume");
  const domain = reportOf(variant, "domain");
  const product = stateOf(variant, "volume").product;
  const active = possible && Boolean(report && domain && report.histograms);
  const axis = { x: 0, y: 1, z: 2 }[slice.axis];
  const low = domain?.low[axis] ?? 0;
  const high = domain?.high[axis] ?? 1;
  const offset = low + (domain ? shareOf(slice.share, axis, domain) : 0.5) * (high - low);
  const query = range
    ? `cells?metric=${range.metric}&low=${range.low}&high=${range.high}`
    : `slice?nx=${AXIS[slice.axis]![0]}&ny=${AXIS[slice.axis]![1]}&nz=${AXIS[slice.axis]![2]}&offset=${offset}&metric=${metric}`;
  const wanted = active && (slice.on || range !== null);
  const cells = useQuery({
    queryKey: ["cells", variant.id, product, query],
    queryFn: ({ signal }) => binary(`variants/${variant.id}/${query}`, signal),
    enabled: wanted,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 5000,
    placeholderData: (old) => old,
  });
  const edges = report?.histograms[range?.metric ?? metric]?.edges ?? [0, 1];
  const least = edges[0] ?? 0;
  const most = edges.at(-1) ?? 1;
  useEffect(() => {
    if (!view) return;
    if (!wanted) {
      view.setCells(null, [0, 1]);
      view.setPlane(null, true);
      return;
    }
    if (range) view.setPlane(null, false);
    else {
      const plane = { normal: AXIS[slice.axis]!, offset };
      view.setPlane(slice.side === "both" ? null : plane, slice.side !== "plane");
    }
    if (cells.data) {
      const a = cells.data.arrays;
      const bad = LOW_IS_BAD.includes(range?.metric ?? metric);
      view.setCells(
        {
          points: a.points as Float32Array,
          triangles: a.triangles as Int32Array,
          value: a.value as Float32Array,
        },
        bad ? [most, least] : [least, most],
      );
    }
  }, [view, wanted, cells.data, slice.axis, slice.side, offset, range, metric, least, most]);
  return active;
}

/** Metrics whose smallest values are the bad ones: the ramp is turned round. */
export const LOW_IS_BAD = ["smallest_dihedral", "volume"];

export const METRIC_WORDS: Record<string, [string, string]> = {
  equiangle_skewness: ["Equiangle skewness", ""],
  non_orthogonality: ["Non-orthogonality", "°"],
  smallest_dihedral: ["Smallest dihedral angle", "°"],
  volume: ["Volume", "unit³"],
  volume_ratio: ["Volume ratio", ""],
};

function RampScale() {
  const { variant, unit } = useBench();
  const { metric, range, slice } = useViewStore();
  const report = reportOf(variant, "volume");
  const key = range?.metric ?? metric;
  const edges = report?.histograms[key]?.edges;
  if (!edges || (!slice.on && !range)) return null;
  const [words, symbol] = METRIC_WORDS[key] ?? [key, ""];
  const turned = LOW_IS_BAD.includes(key);
  const colours = turned ? [...RAMP].reverse() : [...RAMP];
  return (
    <figure className="absolute bottom-4 right-20 w-52 bg-paper/85 p-1.5">
      <figcaption className="caps">
        {words} {symbol.replace("unit", unit)}
      </figcaption>
      <div
        className="mt-1 h-2.5 border border-ink"
        style={{ background: `linear-gradient(90deg, ${colours.join(",")})` }}
      />
      <div className="flex justify-between text-[11.5px]">
        <span>{measure(edges[0]!, 3)}</span>
        <span>{measure(edges.at(-1)!, 3)}</span>
      </div>
    </figure>
  );
}

function useMoves(view: Viewport) {
  const [, tell] = useState(0);
  useEffect(() => {
    let frame = 0;
    const before = view.onMove;
    view.onMove = () => {
      before();
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(() => tell((n) => n + 1));
    };
    view.draw();
    return () => {
      cancelAnimationFrame(frame);
      view.onMove = before;
    };
  }, [view]);
}

const TONES: Record<Mark["tone"], string> = {
  ink: "border-ink bg-sheet text-ink",
  accent: "border-verdigris bg-verdigris text-paper",
  caution: "border-ochre bg-sheet text-ochre",
  error: "border-madder bg-madder text-paper",
  quiet: "border-line bg-sheet text-soft",
};

function Overlay({ view }: { view: Viewport }) {
  useMoves(view);
  const stored = useViewStore((s) => s.marks);
  const { unit } = useBench();
  const marks = [...useStageMarks(), ...stored];
  const length = niceLength(view.unitsPerPixel * 130);
  const pixels = length / view.unitsPerPixel;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {marks.map((mark) => {
        const [x, y] = view.project(mark.at);
        // near the right edge the label hangs to the left
        const left = x > view.width - 130;
        // pins hang below, so that they keep clear of the openings they lie behind
        const below = mark.tone === "accent";
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

function niceLength(rough: number): number {
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [5, 2, 1].find((s) => s * power <= rough) ?? 1;
  return step * power;
}

/** Marks that belong to the stage: closed openings and the pin, or the places of findings. */
function useStageMarks(): Mark[] {
  const { variant, stage } = useBench();
  if (stage !== "domain") return [];
  const own = stateOf(variant, "domain").settings;
  const geometry = reportOf(variant, "geometry");
  if (!own || !geometry) return [];
  const closed = own.closed as string[];
  const marks: Mark[] = geometry.openings
    .filter((o) => own.where === "inside" && closed.includes(o.name))
    .map((o) => ({ id: o.name, at: o.centre, text: `${o.name} closed`, tone: "ink" }));
  if (own.where === "inside")
    marks.push({ id: "pin", at: own.pin as number[], text: "fluid here", tone: "accent" });
  return marks;
}

const VIEWS: { view: StandardView; axis: number; sign: number; text: string }[] = [
  { view: "x", axis: 0, sign: 1, text: "x" },
  { view: "y", axis: 1, sign: 1, text: "y" },
  { view: "z", axis: 2, sign: 1, text: "z" },
];

function Compass({ view }: { view: Viewport }) {
  useMoves(view);
  const axes = view.axes();
  return (
    <div className="absolute bottom-3 left-3">
      <svg width="84" height="84" viewBox="-42 -42 84 84" role="group" aria-label="Standard views">
        <title>Standard views</title>
        {VIEWS.map(({ axis, text }) => {
          const [x, y] = axes[axis]!;
          return (
            <line
              key={text}
              x1="0"
              y1="0"
              x2={x * 26}
              y2={y * 26}
              stroke="#22262b"
              strokeWidth="1.3"
            />
          );
        })}
        {VIEWS.map(({ view: name, axis, text }) => {
          const [x, y, z] = axes[axis]!;
          const look = (z > 0.98 ? `-${name}` : name) as StandardView;
          return (
            <g key={text} transform={`translate(${x * 34} ${y * 34})`}>
              <circle r="8" fill={z > 0 ? "#22262b" : "#fdfbf6"} stroke="#22262b" />
              <text
                textAnchor="middle"
                dominantBaseline="central"
                fontSize="11"
                fontWeight="600"
                fill={z > 0 ? "#f7f3ea" : "#22262b"}
              >
                {text}
              </text>
              {/* a button over the drawing, so that the keyboard reaches it */}
              <foreignObject x="-9" y="-9" width="18" height="18">
                <button
                  type="button"
                  aria-label={`look along ${text}`}
                  title={`look along ${text}`}
                  className="block h-[18px] w-[18px] rounded-full"
                  onClick={() => view.look(look)}
                />
              </foreignObject>
            </g>
          );
        })}
        <circle r="3" fill="#22262b" />
      </svg>
      <button
        type="button"
        className="absolute -top-6 left-0 quiet bg-paper! py-0! text-[11.5px]"
        onClick={() => view.look("corner")}
      >
        whole
      </button>
    </div>
  );
}

function Selection() {
  const { variant, stage, unit } = useBench();
  const { selected, setSelected, setHidden, hidden, hovered } = useViewStore();
  const faces =
    stage === "geometry" || !stateOf(variant, "domain").product
      ? (reportOf(variant, "geometry")?.faces ?? [])
      : (reportOf(variant, "domain")?.faces ?? []);
  if (selected.length === 0 && hidden.length === 0) {
    const face = hovered === null ? null : faces[hovered];
    return face ? (
      <p className="pointer-events-none absolute right-4 top-3 bg-paper/85 px-1.5 text-[11.5px] text-soft">
        {face.id}, {face.surface}, {measure(face.area, 3)} {unit}²
      </p>
    ) : null;
  }
  const total = selected.reduce((sum, r) => sum + (faces[r]?.area ?? 0), 0);
  return (
    <div className="absolute left-3 top-3 flex items-center gap-2 border border-ink bg-sheet px-2.5 py-1">
      {selected.length > 0 && (
        <>
          <span>
            {selected.length} {selected.length === 1 ? "face" : "faces"}, {measure(total)} {unit}²
          </span>
          <button
            type="button"
            className="quiet"
            onClick={() => setSelected(faces.map((_, k) => k).filter((k) => !selected.includes(k)))}
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
  );
}
