import { reportOf, useBench } from "../../study/context";
import { useMoves } from "../../study/useMoves";
import type { Viewport } from "../../view/viewport";

const MOST = 1500;

/** Where the ends of counted edges will stand, before the surface is meshed. */
export function CountedEnds({ view }: { view: Viewport }) {
  useMoves(view);
  const { variant } = useBench();
  const ends = reportOf(variant, "sizing")?.counted ?? [];
  if (ends.length === 0) return null;
  const step = Math.ceil(ends.length / MOST);
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full" role="img">
      <title>{`ends of counted edges: ${ends.length}`}</title>
      {ends
        .filter((_, k) => k % step === 0)
        .map((at) => {
          const [x, y] = view.project(at);
          return (
            <circle
              key={at.join(" ")}
              cx={x}
              cy={y}
              r="2.6"
              fill="#fbf8f1"
              stroke="#226a5f"
              strokeWidth="1.3"
            />
          );
        })}
    </svg>
  );
}
