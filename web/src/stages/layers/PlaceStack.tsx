import { useQuery } from "@tanstack/react-query";
import { ApiError, get, type Shape } from "../../api/client";
import { measure } from "../../parts/numbers";
import { useBench } from "../../study/context";
import { type Place, useViewStore } from "../../view/store";
import type { Viewport } from "../../view/viewport";

const WIDTH = 42;
const HEIGHT = 104;

interface Props {
  view: Viewport;
  place: Place;
  product: string;
  /** y⁺ in the middle of a first layer one unit high */
  yplusEach: number | null;
}

/** The layers over one place of a wall, drawn to scale beside those asked for. */
export function PlaceStack({ view, place, product, yplusEach }: Props) {
  const { variant, unit } = useBench();
  const setPlace = useViewStore((s) => s.setPlace);
  const [x, y, z] = place.at;
  const query = `x=${x}&y=${y}&z=${z}&face=${place.face}`;
  const found = useQuery({
    queryKey: ["stack", variant.id, product, query],
    queryFn: () => get<Shape<"StackShape">>(`variants/${variant.id}/stack?${query}`),
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const stack = found.data;
  const [left, top] = view.project(stack?.at ?? place.at);
  const none = found.error instanceof ApiError && found.error.status === 404;
  if (!stack && !none) return null;
  const all = stack ? Math.max(stack.reached.at(-1)!, stack.asked.at(-1)!) : 1;
  const rows: [string, string][] = stack ? facts(stack, unit, yplusEach) : [];
  return (
    <>
      <span
        aria-hidden="true"
        className="pointer-events-none absolute size-2.5 -translate-1/2 rounded-full border-2 border-ink bg-paper"
        style={{ left, top }}
      />
      <figure
        aria-label="layers at the place clicked"
        className="absolute right-3 bottom-14 w-72 border border-ink bg-sheet p-2"
      >
        <figcaption className="flex justify-between">
          <b>Layers here</b>
          <button
            type="button"
            aria-label="close the layers here"
            className="text-soft hover:text-madder"
            onClick={() => setPlace(null)}
          >
            ✕
          </button>
        </figcaption>
        {!stack && <p className="text-soft">None are asked for on this face.</p>}
        {stack && (
          <div className="mt-1 flex gap-2.5">
            <svg
              width={2 * WIDTH + 10}
              height={HEIGHT + 18}
              role="img"
              aria-label={`${stack.number} of ${stack.asked.length - 1} layers, to scale`}
              className="shrink-0"
            >
              {[stack.reached, stack.asked].map((levels, k) => (
                <g key={k === 0 ? "here" : "asked"} transform={`translate(${k * (WIDTH + 10)} 0)`}>
                  <rect
                    x="0.5"
                    y={HEIGHT * (1 - levels.at(-1)! / all)}
                    width={WIDTH - 1}
                    height={(HEIGHT * levels.at(-1)!) / all}
                    fill={k === 0 ? "var(--color-wash)" : "none"}
                  />
                  {levels.map((level) => (
                    <line
                      key={level}
                      x1="0"
                      x2={WIDTH}
                      y1={HEIGHT * (1 - level / all)}
                      y2={HEIGHT * (1 - level / all)}
                      stroke={k === 0 ? "var(--color-verdigris)" : "var(--color-ink)"}
                      strokeWidth="0.8"
                      strokeDasharray={k === 0 ? undefined : "3 2"}
                    />
                  ))}
                  <rect x="0" y={HEIGHT} width={WIDTH} height="4" fill="var(--color-ink)" />
                  <text
                    x={WIDTH / 2}
                    y={HEIGHT + 15}
                    textAnchor="middle"
                    fontSize="11"
                    fill="currentColor"
                  >
                    {k === 0 ? "here" : "asked"}
                  </text>
                </g>
              ))}
            </svg>
            <dl className="grow text-[12px] leading-tight">
              {rows.map(([name, value]) => (
                <div key={name} className="flex justify-between gap-2">
                  <dt className="text-soft">{name}</dt>
                  <dd className="text-right">{value}</dd>
                </div>
              ))}
            </dl>
          </div>
        )}
      </figure>
    </>
  );
}

/** Numbers of a stack: as it is, and in brackets as asked for where that differs. */
export function facts(
  stack: Shape<"StackShape">,
  unit: string,
  yplusEach: number | null,
): [string, string][] {
  const { reached, asked, edge } = stack;
  const made = reached.length - 1;
  const want = asked.length - 1;
  const pair = (here: number, wanted: number) =>
    Math.abs(here - wanted) > 0.01 * wanted
      ? `${measure(here, 3)} (${measure(wanted, 3)}) ${unit}`
      : `${measure(here, 3)} ${unit}`;
  const few = stack.number < stack.most ? `${stack.number} to ${stack.most}` : `${stack.number}`;
  const out: [string, string][] = [["layers", `${few} of ${want}`]];
  if (made > 0) {
    const top = reached[made]! - reached[made - 1]!;
    out.push(
      ["first", pair(reached[1]!, asked[1]!)],
      ["last", pair(top, asked[want]! - asked[want - 1]!)],
      ["all", pair(reached[made]!, asked[want]!)],
      ["last over edge", measure(top / edge, 2)],
    );
    if (yplusEach !== null) out.push(["y⁺, estimated", measure(reached[1]! * yplusEach, 2)]);
  }
  return out;
}
