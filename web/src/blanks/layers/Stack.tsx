import { measure } from "../../parts/numbers";
import type { RowTold } from "./useLayersTold";

const WIDTH = 120;
const HEIGHT = 46;

interface Props {
  told: Pick<RowTold, "first" | "last" | "total" | "ends"> & Partial<RowTold>;
  unit: string;
  /** the row names the flow that its y⁺ goes by */
  named?: boolean;
}

/**
 * The layers of a row as a drawing to scale, with first, all and last beside it, what the core
 * begins with, and how many lie inside the estimated boundary layer.
 */
export function Stack({ told, unit, named = false }: Props) {
  const { ends, core, flow } = told;
  const count = ends.length - 1;
  const by = told.of_edge ? "of the edge" : unit;
  const within = flow?.within ?? null;
  return (
    <>
      <span className="mt-1 flex items-center gap-2.5">
        <svg
          width={WIDTH}
          height={HEIGHT + 5}
          role="img"
          aria-label={`${count} layers to scale`}
          className="shrink-0"
        >
          <rect x="0" y={HEIGHT} width={WIDTH} height="5" fill="var(--color-ink)" />
          {ends.slice(1).map((share) => (
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
      {core != null && (
        <span className="block text-[11.5px] leading-tight text-soft">
          first core cell about {measure(core, 2)} times the last layer
        </span>
      )}
      {flow && !named && flow.along === "plate" && within !== null && (
        <span className="block text-[11.5px] leading-tight text-soft">
          {within} of {count} layers inside a boundary layer of about {measure(flow.thickness, 2)}{" "}
          {unit}
        </span>
      )}
      {flow && named && (
        <span className="block text-[11.5px] leading-tight text-soft">
          by{" "}
          {flow.along === "pipe"
            ? "a smooth pipe (Blasius)"
            : "a flat plate (one-seventh power law)"}
          : Re {measure(flow.reynolds, 3)}, friction {measure(flow.friction, 3)}, boundary layer
          about {measure(flow.thickness, 3)} {unit}, {within} of {count} layers inside it
        </span>
      )}
    </>
  );
}
