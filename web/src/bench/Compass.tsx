import { useMoves } from "../study/useMoves";
import type { StandardView, Viewport } from "../view/viewport";

const VIEWS: { view: StandardView; axis: number; sign: number; text: string }[] = [
  { view: "x", axis: 0, sign: 1, text: "x" },
  { view: "y", axis: 1, sign: 1, text: "y" },
  { view: "z", axis: 2, sign: 1, text: "z" },
];

export function Compass({ view }: { view: Viewport }) {
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
              stroke="var(--color-ink)"
              strokeWidth="1.3"
            />
          );
        })}
        <circle r="3" fill="var(--color-ink)" />
        {VIEWS.map(({ view: name, axis, text }) => {
          const [x, y, z] = axes[axis]!;
          const look = (z > 0.98 ? `-${name}` : name) as StandardView;
          return (
            <g key={text} transform={`translate(${x * 34} ${y * 34})`}>
              <circle
                r="8"
                fill={z > 0 ? "var(--color-ink)" : "var(--color-sheet)"}
                stroke="var(--color-ink)"
              />
              <text
                textAnchor="middle"
                dominantBaseline="central"
                fontSize="11"
                fontWeight="600"
                fill={z > 0 ? "var(--color-paper)" : "var(--color-ink)"}
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
