import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { binary } from "../api/client";
import { useView } from "../api/queries";
import { measure } from "../parts/numbers";
import { pageOf } from "../stages/registry";
import { useSwatch } from "../stages/sizing/Swatch";
import { colourOf, PATTERN, RAMP } from "../view/palette";
import { useViewStore } from "../view/store";
import { type Rectangle, type RegionLook, Viewport } from "../view/viewport";
import { wallValues } from "../view/walls";
import { Compass } from "./Compass";
import { metricOf, patchOfFace, reportOf, seamsOf, stateOf, useBench } from "./context";
import { enclosingRoles } from "./enclosing";
import { Overlay } from "./Overlay";
import { useRuler } from "./Ruler";
import { Selection } from "./Selection";
import { SliceRail, shareOf } from "./SliceRail";
import { Tools } from "./Tools";
import { usePinPlacing } from "./usePinPlacing";

const AXIS: Record<string, [number, number, number]> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

export function ModelView({ ready }: { ready: (view: Viewport) => void }) {
  const { variant, stage, job } = useBench();
  const host = useRef<HTMLDivElement>(null);
  const [view, setView] = useState<Viewport | null>(null);
  const page = pageOf(stage);
  const drawn = page.draws.find((s) => stateOf(variant, s).product) ?? null;
  const product = drawn ? stateOf(variant, drawn).product : null;
  const store = useViewStore();
  const shown = drawn ? pageOf(drawn) : null;
  const earlier = Boolean(page.part && shown?.part && store.before);
  const data = useView(variant.id, drawn, product, earlier);
  const [box, setBox] = useState<Rectangle | null>(null);
  const touchSwatch = useSwatch();
  const touchRuler = useRuler(shown?.part ? "geometry" : "domain");
  const placePin = usePinPlacing();
  const framed = useRef<string>("");

  // biome-ignore lint/correctness/useExhaustiveDependencies: made once for the element's life
  useEffect(() => {
    if (!host.current) return;
    const made = new Viewport(host.current);
    made.onBox = (drawnBox, done, add) => {
      setBox(done ? null : drawnBox);
      if (!done) return;
      const { selected, setSelected } = useViewStore.getState();
      const found = made.regionsIn(drawnBox);
      setSelected(add ? [...new Set([...selected, ...found])] : found);
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
  const meshed = Boolean(shown?.meshed);
  const family = shown?.part ? "part" : "fluid";

  useEffect(() => {
    if (!view) return;
    view.boxing = store.tool === "box";
    view.onTouch = ({ region, at, add, event }) => {
      const { tool, select, setSelected, setPlace } = useViewStore.getState();
      if (tool === "pin") placePin(view.placeInside(event, family === "fluid"));
      else if (tool === "swatch") {
        const normal = at && view.normalAt(event);
        if (at && normal) touchSwatch(at, normal);
      } else if (tool === "ruler") {
        if (region !== null && at) touchRuler({ face: region, at });
      } else if (region !== null && at && page.places && !add) {
        setSelected([]);
        setPlace({ face: region, at });
      } else if (region !== null) select(region, add);
      else if (!add) {
        setSelected([]);
        setPlace(null);
      }
    };
  }, [view, store.tool, touchRuler, touchSwatch, placePin, family, page]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: on a change of family only
  useEffect(() => {
    store.setSelected([]);
    store.setHidden([]);
    store.setPlace(null);
  }, [family]);

  const seams = useMemo(() => (page.seams ? seamsOf(variant) : null), [page, variant]);

  useEffect(() => {
    if (!view || !data.data) return;
    const a = data.data.arrays;
    const frame = `${variant.id} ${family}`;
    view.setSurface(
      {
        points: a.points as Float32Array,
        triangles: a.triangles as Int32Array,
        region: a.region as Int32Array,
        ...(a.sides && { sides: a.sides as Uint8Array }),
        ...(a.cover && { cover: a.cover as Uint8Array }),
      },
      meshed,
      (a.lines as Float32Array | undefined) ?? null,
      framed.current === frame,
      seams,
    );
    const signs = family === "part";
    view.setEdgeSigns(
      signs ? ((a.free_lines as Float32Array | undefined) ?? null) : null,
      signs ? ((a.branch_lines as Float32Array | undefined) ?? null) : null,
    );
    framed.current = frame;
  }, [view, data.data, meshed, family, variant.id, seams]);

  useEffect(() => {
    const a = data.data?.arrays;
    if (!view || !a?.cover) return;
    const first = a.first as Float32Array | undefined;
    view.setWalls(wallValues(a.cover as Uint8Array, first, store.walls).values);
  }, [view, data.data, store.walls]);

  const looks = useMemo<RegionLook[]>(() => {
    if (family === "part") {
      const faces = reportOf(variant, "geometry")?.faces.length ?? 1;
      return Array.from({ length: faces }, () => ({ colour: "#f0ebdf", pattern: 0 }));
    }
    const rows = reportOf(variant, "domain")?.faces ?? [];
    const roles = rows.map((row) => row.role ?? "");
    const hides = enclosingRoles(roles);
    // each side of a sheet is drawn as seen from the fluid on that side
    const open = (role: string) => role === "sheet" || (store.seeThrough && hides(role));
    const patches = reportOf(variant, "patches")?.patches ?? [];
    return patchOfFace(variant).map((k, face) => {
      const kind = patches[k]?.kind ?? "none";
      return {
        colour: k < 0 ? "#f0ebdf" : colourOf(k, kind),
        pattern: PATTERN[kind === "wall" ? "none" : kind] ?? 0,
        open: open(roles[face] ?? ""),
      };
    });
  }, [variant, family, store.seeThrough]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface needs its look again
  useEffect(() => {
    view?.setLook(looks, store.selected, store.hovered, store.hidden);
  }, [view, looks, store.selected, store.hovered, store.hidden, data.data]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface needs its lines again
  useEffect(() => {
    view?.setMeshLines(store.lines && meshed);
  }, [view, store.lines, meshed, data.data]);

  const cells = useCells(view, Boolean(page.slices && shown?.slices));

  return (
    <section aria-label="Model" className="relative min-h-0 min-w-0 overflow-hidden bg-paper">
      <div ref={host} className="absolute inset-0" />
      {view && <Overlay view={view} />}
      {view && page.overlays?.map((Own) => <Own key={Own.name} view={view} />)}
      {box && (
        <div
          aria-hidden="true"
          className="pointer-events-none absolute border border-verdigris bg-verdigris/10"
          style={{
            left: box.left,
            top: box.top,
            width: box.right - box.left,
            height: box.bottom - box.top,
          }}
        />
      )}
      {view && drawn && <Tools view={view} />}
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
      {drawn && stateOf(variant, drawn).condition === "looking" && (
        <p className="absolute left-1/2 top-3 -translate-x-1/2 whitespace-nowrap border border-verdigris bg-sheet px-3 py-1 text-verdigris">
          ◔ faults are still looked for; turn it meanwhile
        </p>
      )}
      <Selection />
    </section>
  );
}

/** Draw slice or chosen cells; true where the mesh can be sliced. */
function useCells(view: Viewport | null, possible: boolean): boolean {
  const { variant, lists } = useBench();
  const { slice, metric, range } = useViewStore();
  const report = reportOf(variant, "volume");
  const domain = reportOf(variant, "domain");
  const product = stateOf(variant, "volume").product;
  const active = possible && Boolean(report && domain && report.histograms);
  const axis = { x: 0, y: 1, z: 2 }[slice.axis];
  const low = domain?.low[axis] ?? 0;
  const high = domain?.high[axis] ?? 1;
  const offset = low + (domain ? shareOf(slice.share, axis, domain) : 0.5) * (high - low);
  // layers are kept on the side that lies behind the plane as the view is now
  const peel = slice.peel && Boolean(report?.layer_cells);
  const way = peel && view ? view.behind(AXIS[slice.axis]!) : 1;
  const [nx, ny, nz] = AXIS[slice.axis]!.map((n) => way * n);
  const query = range
    ? `cells?metric=${range.metric}&low=${range.low}&high=${range.high}`
    : `slice?nx=${nx}&ny=${ny}&nz=${nz}&offset=${way * offset}&metric=${metric}&flat=${slice.flat}&peel=${peel}`;
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
      view.setPlane(slice.side === "both" ? null : plane, slice.side !== "plane" && !peel);
    }
    if (cells.data) {
      const a = cells.data.arrays;
      const bad = !metricOf(lists, range?.metric ?? metric).large_is_bad;
      view.setCells(
        {
          points: a.points as Float32Array,
          triangles: a.triangles as Int32Array,
          value: a.value as Float32Array,
          sides: a.sides as Uint8Array,
        },
        bad ? [most, least] : [least, most],
        (a.lines as Float32Array | undefined) ?? null,
      );
    }
  }, [
    view,
    wanted,
    cells.data,
    slice.axis,
    slice.side,
    peel,
    offset,
    range,
    metric,
    least,
    most,
    lists,
  ]);
  return active;
}

function RampScale() {
  const { variant, unit, lists } = useBench();
  const { metric, range, slice } = useViewStore();
  const report = reportOf(variant, "volume");
  const key = range?.metric ?? metric;
  const edges = report?.histograms[key]?.edges;
  if (!edges || (!slice.on && !range)) return null;
  const { label, unit: symbol, large_is_bad } = metricOf(lists, key);
  const turned = !large_is_bad;
  const colours = turned ? [...RAMP].reverse() : [...RAMP];
  return (
    <figure className="absolute bottom-14 right-3 w-52 bg-paper/85 p-1.5">
      <figcaption className="caps">
        {label} {symbol.replace("unit", unit)}
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
