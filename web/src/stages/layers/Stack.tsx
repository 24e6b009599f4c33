import { measure } from "../../parts/numbers";
import type { Flow } from "./flow";
import { ends, heights, type LayerRow, measureOf, wallFlow } from "./heights";

const WIDTH = 120;
const HEIGHT = 46;
// of a regular tetrahedron over its edge
const CORE_HEIGHT = Math.sqrt(2 / 3);

interface Props {
  row: LayerRow;
  unit: string;
  /** mm of the unit */
  mm: number;
  /** edges of the wall, if they are known */
  edge?: number | null;
  /** the flow past the wall, if the row names none of its own */
  usual?: Flow | null;
}

/**
 * The layers of a row as a drawing to scale, with first, all and last beside it, what the core
 * begins with, and how many lie inside the estimated boundary layer.
 */
export function Stack({ row, unit, mm, edge = null, usual = null }: Props) {
  const told = heights(row, mm);
  const own = measureOf(row) === "yplus";
  const along = own ? row.along : usual?.along;
  const flow = wallFlow(own ? row : { ...row, ...usual, yplus: 1 }, mm);
  if (!told) return null;
  const inEdges = measureOf(row) === "last";
  const by = inEdges ? "of the edge" : unit;
  const step = inEdges
    ? CORE_HEIGHT / told.last
    : edge === null
      ? null
      : (CORE_HEIGHT * edge) / told.last;
  // heights in units, if the edge is known or does not matter
  const scale = inEdges ? edge : 1;
  const lines = ends(row.growth, Math.min(row.count, 100));
  const within =
    flow && scale !== null
      ? lines.filter((s) => s > 0 && (s * told.total * scale * mm) / 1000 <= flow.thickness).length
      : null;
  return (
    <>
      <span className="mt-1 flex items-center gap-2.5">
        <svg
          width={WIDTH}
          height={HEIGHT + 5}
          role="img"
          aria-label={`${row.count} layers to scale`}
          className="shrink-0"
        >
          <rect x="0" y={HEIGHT} width={WIDTH} height="5" fill="var(--color-ink)" />
          {lines.slice(1).map((share) => (
            <line
              key={share}
              x1="0"
              x2={WIDTH}
              y1={HEIGHT * (1 - share) + 0.5}
              y2={HEIGHT * (1 - share) + 0.5}
              stroke="#226a5f"
              strokeWidth="0.8"
            />
          ))}
        </svg>
        <span className="text-[11.5px] leading-tight text-soft">
          first {measure(told.first, 3)}
          <br />
          last {measure(told.last, 3)}
          <br />
          all {measure(told.total, 3)} {by}
        </span>
      </span>
      {step !== null && (
        <span className="block text-[11.5px] leading-tight text-soft">
          first core cell about {measure(step, 2)} times the last layer
        </span>
      )}
      {flow && !own && along === "plate" && within !== null && (
        <span className="block text-[11.5px] leading-tight text-soft">
          {within} of {row.count} layers inside a boundary layer of about{" "}
          {measure((flow.thickness * 1000) / mm, 2)} {unit}
        </span>
      )}
      {flow && own && (
        <span className="block text-[11.5px] leading-tight text-soft">
          by {along === "pipe" ? "a smooth pipe (Blasius)" : "a flat plate (one-seventh power law)"}
          : Re {measure(flow.reynolds, 3)}, friction {measure(flow.friction, 3)}, boundary layer
          about {measure((flow.thickness * 1000) / mm, 3)} {unit}, {within} of {row.count} layers
          inside it
        </span>
      )}
    </>
  );
}
