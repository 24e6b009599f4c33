import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { binary } from "../api/client";
import type { Packed } from "../api/packed";
import { judgedOf, metricShown } from "../quality/judged";
import { type FieldRow, fieldShown, useFlow } from "../stages/case/useFlow";
import { colouringOf } from "../study/colouring";
import { meshOf, reportOf, useBench } from "../study/context";
import type { Colouring } from "../view/cellLayers";
import type { CellArrays } from "../view/geometry";
import { outline, type Placed, placed } from "../view/planes";
import { useViewStore, type ViewState } from "../view/store";
import type { Pose, Viewport } from "../view/viewport";

/** While the slider moves, cells are asked for this often at most, in milliseconds. */
const FOLLOW = 120;

/** The value, brought up to date no more often than every so many milliseconds, and at last. */
function useThrottled<T>(value: T, milliseconds: number): T {
  const [held, setHeld] = useState(value);
  const [since, setSince] = useState(0);
  useEffect(() => {
    const wait = Math.max(0, since + milliseconds - Date.now());
    const timer = setTimeout(() => {
      setSince(Date.now());
      setHeld(value);
    }, wait);
    return () => clearTimeout(timer);
  }, [value, milliseconds, since]);
  return held;
}

/** What to ask the server for: a name in the scene and a query for each set of cells. */
export function asked(
  {
    slice,
    metric,
    range,
    focus,
    painted,
  }: Pick<ViewState, "slice" | "metric" | "range" | "focus" | "painted">,
  planes: Placed[],
  peel: boolean,
  behind: (normal: [number, number, number]) => number,
  of: "mesh" | "surface" = "mesh",
  field: FieldRow | null = null,
): [string, string][] {
  const asks = of === "surface" ? "stage=surface&" : "";
  if (focus)
    return [["focus", `around?${asks}cell=${focus.cell}&rings=${focus.rings}&metric=${metric}`]];
  if (range)
    return [["range", `cells?${asks}metric=${range.metric}&low=${range.low}&high=${range.high}`]];
  if (field?.of === "rim" && !slice.on) return [["walls", `flow/walls?field=${field.key}`]];
  if (of === "surface") return painted ? [["whole", `cells?${asks}metric=${metric}`]] : [];
  if (!slice.on) return [];
  const [at] = planes.slice(slice.active);
  // layers are kept on the side that lies behind the plane at hand as the view is now
  const shown = peel && at ? [at] : planes;
  const by = field?.of === "cell" && !peel ? `&field=${field.key}` : "";
  return shown.map(({ normal, offset }, k) => {
    const way = peel ? behind(normal) : 1;
    const [nx, ny, nz] = normal.map((n) => way * n);
    return [
      `plane ${k}`,
      `slice?nx=${nx}&ny=${ny}&nz=${nz}&offset=${way * offset}&metric=${metric}&flat=${slice.flat}&peel=${peel}${by}`,
    ];
  });
}

const arraysOf = (packed: Packed, before = ""): CellArrays => {
  const a = packed.arrays;
  return {
    points: a[`${before}points`] as Float32Array,
    triangles: a[`${before}triangles`] as Int32Array,
    value: a[`${before}value`] as Float32Array,
    sides: a[`${before}sides`] as Uint8Array,
    cell: a[`${before}cell`] as Int32Array,
  };
};

export interface Cells {
  /** the mesh can be sliced here */
  active: boolean;
  planes: Placed[];
  /** how far one cell reaches along the plane at hand */
  step: number | null;
  /** the cells shown are those of an earlier plane or choice */
  late: boolean;
  error: string | null;
}

/** Draw slices, chosen cells, or those around one. */
export function useCells(view: Viewport | null, possible: boolean): Cells {
  const bench = useBench();
  const { variant, lists, scale } = bench;
  const { slice: kept, metric: chosen, range, focus, painted, field: wished } = useViewStore();
  const flow = useFlow();
  const field = bench.stage === "case" ? fieldShown(flow, wished) : null;
  const judged = judgedOf(bench);
  const { of, report, product } = judged;
  const mesh = meshOf(variant);
  const metric = metricShown(judged, chosen);
  // a surface is not cut: it is only looked at in pieces
  const slice = of === "surface" ? { ...kept, on: false } : kept;
  const domain = reportOf(variant, "domain");
  const active = possible && Boolean(report && domain && report.histograms);
  const planes = domain ? slice.planes.map((p) => placed(p, domain)) : [];
  const peel = slice.peel && Boolean(mesh?.layer_cells);
  const now =
    active && view
      ? asked(
          { slice, metric, range, focus, painted },
          planes,
          peel,
          (n) => view.behind(n),
          of,
          field,
        )
      : [];
  const wanted = useThrottled(JSON.stringify(now), FOLLOW);
  const list = JSON.parse(active ? wanted : "[]") as [string, string][];
  const queries = useQueries({
    queries: list.map(([, query]) => ({
      queryKey: ["cells", variant.id, product, field && flow?.product, query],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        binary(`variants/${variant.id}/${query}`, signal),
      staleTime: Number.POSITIVE_INFINITY,
      gcTime: 5000,
      placeholderData: keepPreviousData,
    })),
  });
  const own = range?.metric ?? metric;
  const colouring: Colouring =
    field && !range && !focus
      ? { how: "even", limits: [field.low, field.high] }
      : colouringOf(lists, report, own, scale);
  const colours = JSON.stringify(colouring);
  const data = queries.map((q) => q.data);

  // biome-ignore lint/correctness/useExhaustiveDependencies: by content; arrays are made anew
  useEffect(() => {
    if (!view) return;
    view.keepCells(list.flatMap(([name]) => (name === "focus" ? ["focus", "own"] : [name])));
    list.forEach(([name], k) => {
      const packed = data[k];
      if (!packed) return;
      if (name === "focus") {
        if (!packed.arrays.own_points) return;
        const own = arraysOf(packed, "own_");
        const pieces = of === "surface";
        view.setCells("focus", arraysOf(packed), colouring, null, { ghost: !pieces });
        view.setCells("own", own, colouring, pieces ? rimOf(own.points) : null, { over: pieces });
      } else if (packed.arrays.points) {
        const lines = (packed.arrays.lines as Float32Array | undefined) ?? null;
        view.setCells(name, arraysOf(packed), colouring, lines, {
          over: of === "surface" || name === "walls",
        });
      }
    });
  }, [view, wanted, colours, ...data]);

  // come near once to each cell that is chosen
  const around = focus ? data[0]?.arrays : undefined;
  const near = around?.own_points ? (around.points as Float32Array) : null;
  // a triangle is looked at from before
  const flat = near && of === "surface" ? (around?.own_points as Float32Array) : null;
  const before = useRef<Pose | null>(null);
  useEffect(() => {
    if (!view || !near) return;
    before.current ??= view.pose();
    if (flat) view.faceTo(normalOf(flat));
    view.frame(...boundsOf(near));
  }, [view, near, flat]);
  // and back to where one was
  const alone = focus !== null;
  useEffect(() => {
    if (!view || alone || !before.current) return;
    view.setPose(before.current);
    before.current = null;
  }, [view, alone]);

  const cut = planes[slice.active];
  const clips = active && slice.on && !range && !focus;
  const plane = clips && slice.side === "behind" && cut ? cut : null;
  const picked = range !== null && of === "mesh";
  const shown = !active || (!focus && !picked && !(clips && (slice.side === "plane" || peel)));
  const held = JSON.stringify(plane && [plane.normal, plane.offset]);
  const frames = JSON.stringify(clips ? planes.map((p) => [p.normal, p.offset]) : []);
  const box = JSON.stringify(domain && [domain.low, domain.high]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: by content
  useEffect(() => {
    if (!view) return;
    view.setPlane(plane, shown, (shown && plane === null) || !shown);
    const lines = clips && domain ? planes.map((p) => outline(p, domain)) : [];
    view.setPlaneFrames(joined(lines));
  }, [view, held, frames, shown, box, range, focus]);

  const meta = data[slice.active]?.meta;
  return {
    active,
    planes,
    step: typeof meta?.step === "number" && meta.step > 0 ? meta.step : null,
    late:
      JSON.stringify(now) !== wanted || queries.some((q) => q.isPlaceholderData || q.isFetching),
    error: queries.find((q) => q.isError)?.error?.message ?? null,
  };
}

function joined(parts: Float32Array[]): Float32Array {
  const out = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/** The sides of a triangle, as segments. */
function rimOf(corners: Float32Array): Float32Array {
  const [a, b, c] = [0, 3, 6].map((k) => [...corners.subarray(k, k + 3)]);
  return new Float32Array([a, b, b, c, c, a].flatMap((p) => p!));
}

function normalOf(p: Float32Array): number[] {
  const [u, v] = [3, 6].map((k) => [p[k]! - p[0]!, p[k + 1]! - p[1]!, p[k + 2]! - p[2]!]);
  const [a, b] = [u!, v!];
  return [
    a[1]! * b[2]! - a[2]! * b[1]!,
    a[2]! * b[0]! - a[0]! * b[2]!,
    a[0]! * b[1]! - a[1]! * b[0]!,
  ];
}

/** Low and high corner of points. */
export function boundsOf(points: Float32Array): [number[], number[]] {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) {
    const k = i % 3;
    low[k] = Math.min(low[k]!, points[i]!);
    high[k] = Math.max(high[k]!, points[i]!);
  }
  return [low, high];
}
