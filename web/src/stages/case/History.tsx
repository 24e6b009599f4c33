import { useState } from "react";
import { type Line, Plot } from "../../parts/Plot";
import type { ProofReport } from "./useFlow";

const DASHES = [undefined, "5 2", "2 2", "7 2 2 2", "1 3", "10 3"];
const COLOURS = ["var(--color-ink)", "var(--color-verdigris)", "var(--color-madder)"];

const SHOWN = {
  residuals: ["residuals", "residuals"],
  flow_rate: ["flow out of each patch", "m³/s"],
  mean_pressure: ["pressure on each patch", "Pa"],
} as const;

type Shown = keyof typeof SHOWN;

/** What was left, and what flowed through the patches, iteration by iteration. */
export function History({ report }: { report: ProofReport }) {
  const [shown, setShown] = useState<Shown>("residuals");
  const made = report.residuals.mass.length;
  if (made < 2) return null;
  const watched = Object.keys(report.monitors).length > 0;
  const [words, value] = SHOWN[watched ? shown : "residuals"];
  const lines = shown === "residuals" || !watched ? residuals(report) : monitored(report, shown);
  return (
    <>
      {watched && (
        <p className="mt-2">
          Over the iterations:{" "}
          <select
            aria-label="what is drawn over the iterations"
            className="blank"
            value={shown}
            onChange={(e) => setShown(e.target.value as Shown)}
          >
            {Object.entries(SHOWN).map(([key, [label]]) => (
              <option key={key} value={key}>
                {label}
              </option>
            ))}
          </select>
        </p>
      )}
      <Plot
        label={`${words} of ${made} iterations`}
        along="iterations"
        value={value}
        log={value === "residuals"}
        lines={lines}
      />
    </>
  );
}

function residuals({ residuals: { momentum, mass } }: ProofReport): Line[] {
  return [
    { name: "mass", points: mass.map((v, k) => [k + 1, v]) },
    ...["x", "y", "z"].map((axis, a) => ({
      name: `momentum ${axis}`,
      points: momentum.map((row, k): [number, number | null] => [k + 1, row[a] ?? null]),
      dash: DASHES[a + 1],
      colour: COLOURS[1],
    })),
  ];
}

/** A line for each patch that the flow passes. */
export function monitored({ monitors }: ProofReport, shown: "flow_rate" | "mean_pressure"): Line[] {
  return Object.entries(monitors).map(([name, rows], k) => ({
    name,
    points: rows[shown].map((v, i) => [i + 1, v]),
    dash: DASHES[Math.floor(k / COLOURS.length) % DASHES.length],
    colour: COLOURS[k % COLOURS.length],
  }));
}
