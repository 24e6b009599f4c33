import { useMemo } from "react";
import { useView } from "../../api/queries";
import { useLayersTold } from "../../blanks/layers/useLayersTold";
import { measure } from "../../parts/numbers";
import { rampOf, useTheme } from "../../parts/theme";
import { stateOf, useBench } from "../../study/context";
import { useMoves } from "../../study/useMoves";
import { useViewStore, type Walls } from "../../view/store";
import type { Viewport } from "../../view/viewport";
import { wallValues } from "../../view/walls";
import { PlaceStack } from "./PlaceStack";

const WAYS: [Walls, string][] = [
  ["cover", "what stands"],
  ["first", "first height"],
  ["yplus", "y⁺, estimated"],
];

/** What the walls are coloured by, and the stack at the place that was clicked. */
export function WallMap({ view }: { view: Viewport }) {
  const theme = useTheme((s) => s.theme);
  useMoves(view);
  const { variant, unit } = useBench();
  const { walls, setWalls, place } = useViewStore();
  const product = stateOf(variant, "layers").product;
  const data = useView(variant.id, "layers", product, false);
  const flow = useLayersTold()?.asked ?? null;
  const each = flow?.yplus ?? null;
  const a = data.data?.arrays;
  const cover = a?.cover as Uint8Array | undefined;
  const first = a?.first as Float32Array | undefined;
  const span = useMemo(() => (cover ? wallValues(cover, first, "first") : null), [cover, first]);
  if (!product || !cover?.some((c) => c > 0)) return null;
  const per = walls === "yplus" ? (each ?? 0) : 1;
  return (
    <>
      <figure className="absolute top-9 right-3 w-56 bg-paper/85 p-1.5">
        <figcaption className="caps">walls by</figcaption>
        <div className="mt-0.5 flex flex-wrap gap-1">
          {WAYS.filter(([key]) => key !== "yplus" || each !== null).map(([key, words]) => (
            <button
              key={key}
              type="button"
              aria-pressed={walls === key}
              className={`px-1 text-[12px] ${walls === key ? "bg-ink text-paper" : ""}`}
              onClick={() => setWalls(key)}
            >
              {words}
            </button>
          ))}
        </div>
        {walls !== "cover" && span && per > 0 && (
          <>
            <div
              className="mt-1 h-2.5 border border-ink"
              style={{ background: `linear-gradient(270deg, ${rampOf(theme).join(",")})` }}
            />
            <div className="flex justify-between text-[11.5px]">
              <span>{measure(span.low * per, 3)}</span>
              <span>
                {measure(span.high * per, 3)} {walls === "first" ? unit : ""}
              </span>
            </div>
          </>
        )}
        {walls === "yplus" && flow && (
          <p className="text-[11.5px] leading-tight text-soft">
            in the middle of the first layer, by{" "}
            {flow.along === "pipe" ? "a smooth pipe" : "a flat plate"} of {measure(flow.length, 3)}{" "}
            {unit} at {measure(flow.speed, 3)} m/s
          </p>
        )}
        <p className="text-[11.5px] leading-tight text-soft">
          Click a wall to see its stack; with Shift faces are selected.
        </p>
      </figure>
      {place && <PlaceStack view={view} place={place} product={product} yplusEach={each} />}
    </>
  );
}
