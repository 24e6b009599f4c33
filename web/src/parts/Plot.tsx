import { measure } from "./numbers";

export interface Line {
  name: string;
  /** a place along, and a value; what is no number leaves a gap */
  points: [number, number | null][];
  /** of the stroke, so that lines are told apart without colour */
  dash?: string;
  colour?: string;
}

interface Props {
  label: string;
  lines: Line[];
  /** words under the axis and beside it */
  along: string;
  value: string;
  log?: boolean;
}

const WIDTH = 300;
const HEIGHT = 132;
const LEFT = 40;
const BELOW = 16;

/** Lines over an axis, even or by powers of ten, drawn as one would by hand on squared paper. */
export function Plot({ label, lines, along, value, log = false }: Props) {
  const flat = lines.flatMap((line) => line.points);
  const values = flat.map(([, v]) => v).filter((v): v is number => usable(v, log));
  const places = flat.map(([x]) => x);
  if (values.length === 0) return null;
  const scale = (v: number) => (log ? Math.log10(v) : v);
  const [low, high, ticks] = log ? decades(values) : even(values);
  const [from, to] = [Math.min(...places), Math.max(...places)];
  const x = (p: number) => LEFT + ((p - from) / (to - from || 1)) * (WIDTH - LEFT - 4);
  const y = (v: number) => 4 + ((high - scale(v)) / (high - low || 1)) * (HEIGHT - BELOW - 8);
  return (
    <figure className="mt-2">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={label}
        className="w-full text-[9px]"
      >
        {ticks.map((t) => (
          <g key={t}>
            <line
              x1={LEFT}
              x2={WIDTH - 4}
              y1={y(t)}
              y2={y(t)}
              stroke="var(--color-line)"
              strokeWidth="0.6"
            />
            <text x={LEFT - 3} y={y(t) + 3} textAnchor="end" fill="var(--color-soft)">
              {log ? raised(t) : measure(t, 5)}
            </text>
          </g>
        ))}
        <path
          d={`M${LEFT} 4V${HEIGHT - BELOW}H${WIDTH - 4}`}
          fill="none"
          stroke="var(--color-ink)"
          strokeWidth="0.8"
        />
        {lines.map((line) => (
          <path
            key={line.name}
            d={path(line.points, x, y, log)}
            fill="none"
            stroke={line.colour ?? "var(--color-ink)"}
            strokeDasharray={line.dash}
            strokeWidth="1.2"
          />
        ))}
        <text x={LEFT} y={HEIGHT - 4} fill="var(--color-soft)">
          {measure(from, 3)}
        </text>
        <text x={WIDTH - 4} y={HEIGHT - 4} textAnchor="end" fill="var(--color-soft)">
          {measure(to, 3)} {along}
        </text>
      </svg>
      <figcaption className="flex flex-wrap gap-x-3 text-[11.5px] text-soft">
        {lines.map((line) => (
          <span key={line.name} className="flex items-center gap-1">
            <svg width="18" height="6" aria-hidden="true">
              <line
                x2="18"
                y1="3"
                y2="3"
                stroke={line.colour ?? "var(--color-ink)"}
                strokeDasharray={line.dash}
                strokeWidth="1.4"
              />
            </svg>
            {line.name}
          </span>
        ))}
        <span className="ml-auto">{value}</span>
      </figcaption>
    </figure>
  );
}

const usable = (v: number | null, log: boolean) =>
  v !== null && Number.isFinite(v) && (!log || v > 0);

/** A power of ten as one writes it. */
function raised(value: number): string {
  const digits = [...String(Math.round(Math.log10(value)))];
  return `10${digits.map((c) => "⁻⁰¹²³⁴⁵⁶⁷⁸⁹"["-0123456789".indexOf(c)]).join("")}`;
}

/** Whole powers of ten around values, in exponents, and those that get a line. */
export function decades(values: number[]): [number, number, number[]] {
  const logs = values.map(Math.log10);
  const low = Math.floor(Math.min(...logs));
  // of no minus nought
  const high = Math.max(low + 1, Math.ceil(Math.max(...logs))) + 0;
  const step = Math.max(1, Math.ceil((high - low) / 5));
  const ticks = [];
  for (let e = high; e >= low; e -= step) ticks.push(10 ** e);
  return [low, high, ticks];
}

/** Round ends around values, and the round numbers between them. */
export function even(values: number[]): [number, number, number[]] {
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const span = most - least || Math.abs(most) || 1;
  const rough = span / 4;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((k) => k * power).find((s) => s >= rough)!;
  const low = Math.floor(least / step) * step;
  const high = Math.max(low + step, Math.ceil(most / step) * step);
  const ticks = [];
  for (let k = Math.round(low / step); k <= Math.round(high / step); k++) ticks.push(k * step);
  return [low, high, ticks];
}

function path(
  points: Line["points"],
  x: (p: number) => number,
  y: (v: number) => number,
  log: boolean,
): string {
  let pen = "M";
  let out = "";
  for (const [p, v] of points) {
    if (!usable(v, log)) {
      pen = "M";
      continue;
    }
    out += `${pen}${x(p).toFixed(1)} ${y(v!).toFixed(1)}`;
    pen = "L";
  }
  return out;
}
