import { measure } from "../../parts/numbers";
import { ends, heights, type LayerRow, measureOf, wallFlow } from "./heights";

const WIDTH = 120;
const HEIGHT = 46;

/** The layers of a row as a drawing to scale, with first, all and last beside it. */
export function Stack({ row, unit, mm }: { row: LayerRow; unit: string; mm: number }) {
  const told = heights(row, mm);
  const flow = measureOf(row) === "yplus" ? wallFlow(row, mm) : null;
  if (!told) return null;
  const by = measureOf(row) === "last" ? "of the edge" : unit;
  const lines = ends(row.growth, Math.min(row.count, 100));
  const within = flow
    ? lines.filter((share) => share > 0 && (share * told.total * mm) / 1000 <= flow.thickness)
        .length
    : 0;
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
          <rect x="0" y={HEIGHT} width={WIDTH} height="5" fill="#22262b" />
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
      {flow && (
        <span className="block text-[11.5px] leading-tight text-soft">
          by{" "}
          {row.along === "pipe"
            ? "a smooth pipe (Blasius)"
            : "a flat plate (one-seventh power law)"}
          : Re {measure(flow.reynolds, 3)}, friction {measure(flow.friction, 3)}, boundary layer
          about {measure((flow.thickness * 1000) / mm, 3)} {unit}, {within} of {row.count} layers
          inside it
        </span>
      )}
    </>
  );
}
