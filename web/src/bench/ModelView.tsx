import { useEffect, useMemo, useRef, useState } from "react";
import { useView } from "../api/queries";
import { count } from "../parts/numbers";
import { useTheme } from "../parts/theme";
import { pageOf } from "../stages/registry";
import { useSwatch } from "../stages/sizing/Swatch";
import { reportOf, seamsOf, stateNamed, stateOf, useBench, zonesOf } from "../study/context";
import { apart } from "../view/apart";
import { useViewStore } from "../view/store";
import { type Rectangle, Viewport } from "../view/viewport";
import { wallValues } from "../view/walls";
import { CellReadout } from "./CellReadout";
import { Compass } from "./Compass";
import { FocusPanel } from "./FocusPanel";
import { looksOf } from "./looks";
import { Overlay } from "./Overlay";
import { PlaneHandles } from "./PlaneHandles";
import { RampScale } from "./RampScale";
import { NOWHERE, useRuler } from "./Ruler";
import { Selection } from "./Selection";
import { SlicePanel } from "./SlicePanel";
import { SliceRail } from "./SliceRail";
import { Tools } from "./Tools";
import { useCells } from "./useCells";
import { usePinPlacing } from "./usePinPlacing";
import { Views } from "./Views";

export function ModelView({ ready }: { ready: (view: Viewport) => void }) {
  const { variant, stage, job } = useBench();
  const host = useRef<HTMLDivElement>(null);
  const [view, setView] = useState<Viewport | null>(null);
  const page = pageOf(stage);
  const from = page.draws.map((s) => stateNamed(variant, s)).find((s) => s.product);
  const drawn = from?.stage ?? null;
  const product = from?.product ?? null;
  const store = useViewStore();
  const shown = drawn ? pageOf(drawn) : null;
  const earlier = Boolean(page.part && shown?.part && store.before);
  const data = useView(variant.id, drawn, product, earlier);
  const [box, setBox] = useState<Rectangle | null>(null);
  const touchSwatch = useSwatch();
  const touchRuler = useRuler(shown?.part ? "geometry" : "domain");
  const placePin = usePinPlacing();
  const framed = useRef<string>("");
  const [panel, setPanel] = useState(false);

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
      if (tool === "cut") {
        if (at) useViewStore.getState().cutThrough(at, reportOf(variant, "domain"));
      } else if (tool === "pin") placePin(view.placeInside(event, family === "fluid"));
      else if (tool === "swatch") {
        const normal = at && view.normalAt(event);
        if (at && normal) touchSwatch(at, normal);
      } else if (tool === "ruler") {
        const cell = view.cellAt(event);
        if (cell) touchRuler({ face: NOWHERE, at: cell.at });
        else if (region !== null && at) touchRuler({ face: region, at });
      } else if (region !== null && at && page.places && !add) {
        setSelected([]);
        setPlace({ face: region, at });
      } else if (region !== null) select(region, add);
      else if (!add) {
        setSelected([]);
        setPlace(null);
      }
    };
  }, [view, store.tool, touchRuler, touchSwatch, placePin, family, page, variant]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: on a change of family only
  useEffect(() => {
    store.setSelected([]);
    store.setHidden([]);
    store.setPlace(null);
  }, [family]);

  const seams = useMemo(() => (page.seams ? seamsOf(variant) : null), [page, variant]);

  const zones = useMemo(() => zonesOf(variant), [variant]);
  const moved = store.apart && zones !== null && !shown?.part;

  useEffect(() => {
    if (!view || !data.data) return;
    const a = data.data.arrays;
    const frame = `${variant.id} ${family} ${moved}`;
    const whole = {
      points: a.points as Float32Array,
      triangles: a.triangles as Int32Array,
      region: a.region as Int32Array,
      ...(a.sides && { sides: a.sides as Uint8Array }),
      ...(a.cover && { cover: a.cover as Uint8Array }),
    };
    view.setSurface(
      moved && zones ? apart(whole, zones.ofFace, zones.count) : whole,
      meshed,
      moved ? null : ((a.lines as Float32Array | undefined) ?? null),
      framed.current === frame,
      seams,
    );
    const signs = family === "part";
    view.setEdgeSigns(
      signs ? ((a.free_lines as Float32Array | undefined) ?? null) : null,
      signs ? ((a.branch_lines as Float32Array | undefined) ?? null) : null,
    );
    framed.current = frame;
  }, [view, data.data, meshed, family, variant.id, seams, moved, zones]);

  useEffect(() => {
    const a = data.data?.arrays;
    if (!view || !a?.cover || moved) return;
    const first = a.first as Float32Array | undefined;
    view.setWalls(wallValues(a.cover as Uint8Array, first, store.walls).values);
  }, [view, data.data, store.walls, moved]);

  const looks = useMemo(
    () => looksOf(variant, family, store.seeThrough),
    [variant, family, store.seeThrough],
  );

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface needs its look again
  useEffect(() => {
    view?.setLook(looks, store.selected, store.hovered, store.hidden);
  }, [view, looks, store.selected, store.hovered, store.hidden, data.data]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface needs its lines again
  useEffect(() => {
    view?.setMeshLines(store.lines && meshed && store.range === null);
  }, [view, store.lines, store.range, meshed, data.data]);

  const theme = useTheme((s) => s.theme);
  useEffect(() => view?.setTheme(theme), [view, theme]);

  const slices = Boolean(page.slices && shown?.slices);
  const pieces = Boolean(page.inPieces && shown?.inPieces);
  const cells = useCells(view, slices || pieces);

  // a cell or a range of bars is one of the mesh that was looked at
  const looked = useRef(pieces);
  useEffect(() => {
    if (looked.current === pieces) return;
    looked.current = pieces;
    useViewStore.getState().setFocus(null);
    useViewStore.getState().setRange(null);
  }, [pieces]);

  useEffect(() => {
    if (!view) return;
    view.onKey = (act) => {
      const { slice, setSlice, setPlane, step } = useViewStore.getState();
      const at = cells.planes[slice.active];
      if (!cells.active || !slices || !at) return;
      if (act === "slice") slice.on ? setSlice({ on: false }) : setPlane({});
      else {
        const by = cells.step ?? (at.to - at.from) / 100;
        step(act === "on" ? by : -by, reportOf(variant, "domain"));
      }
    };
  }, [view, cells, slices, variant]);

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
      {view && drawn && <Views view={view} />}
      {view && cells.active && (
        <>
          {slices && (
            <>
              <PlaneHandles view={view} planes={cells.planes} step={cells.step} />
              <SliceRail
                planes={cells.planes}
                late={cells.late}
                panel={panel}
                openPanel={setPanel}
              />
              {panel && <SlicePanel view={view} planes={cells.planes} />}
            </>
          )}
          <RampScale />
          <CellReadout view={view} />
          <FocusPanel />
        </>
      )}
      {cells.error && (
        <p
          role="alert"
          className="absolute left-4 top-4 border border-madder bg-sheet p-2 text-madder"
        >
          ✕ {cells.error}
        </p>
      )}
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
      {data.data?.meta.thinned === true && (
        <p className="absolute bottom-3 left-1/2 -translate-x-1/2 whitespace-nowrap bg-paper/85 px-2 text-soft">
          surface thinned for display: it has {count(Number(data.data.meta.triangles))} triangles
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
