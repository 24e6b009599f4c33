// @vitest-environment jsdom
import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { benchWith, onBench } from "../../testing/bench";
import { type Asked, sent, serving } from "../../testing/server";
import { useViewStore } from "../../view/store";
import { Proof } from "./Proof";

const REPORT = {
  case: "k",
  unit: "mm",
  cells: 1234,
  iterations: 3,
  asked: 3,
  converged: false,
  stopped: false,
  residuals: {
    momentum: [
      [1, 1, 1],
      [0.1, 0.1, 0.1],
      [0.01, 0.01, 0.01],
    ],
    mass: [1, 0.1, 0.01],
  },
  monitors: {},
  mass_imbalance: 0,
  heat_imbalance: null,
  fastest: 0.4,
  patches: { inflow: { flow_rate: -1e-4, mean_pressure: 12, force: [0, 3, 4] } },
  fields: [
    { key: "speed", label: "Speed", unit: "m/s", of: "cell", low: 0, high: 0.4 },
    { key: "shear", label: "Wall shear", unit: "Pa", of: "rim", low: 0, high: 2 },
  ],
  verdict: "proven",
  sentence: "Proven: a flow solver takes this mesh.",
  evidence: [
    { holds: true, words: "Closed." },
    { holds: false, words: "It leaks." },
  ],
  findings: [],
};

let asked: Asked[] = [];

function proof(flow: unknown, change = {}) {
  asked = serving({
    "GET jobs": [],
    "GET variants/3/flow": flow,
    "GET variants/3/flow/profile": { distance: [0, 1], velocity: [], speed: [1, 2], pressure: [] },
    "GET variants/3/flow/convergence": { variants: [], names: [], cells: [], sizes: [], rows: [] },
    "POST variants/3/flow": { id: "j", variant: 3, target: "flow", state: "waiting" },
    "POST jobs/j/stop": {},
  });
  const bench = benchWith({ stage: "case", ...change });
  return onBench(<Proof />, { ...bench, variant: { ...bench.variant, id: 3 } });
}

const NONE = { condition: "none", product: null, report: null };

beforeEach(() => useViewStore.getState().reset());
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("the proof", () => {
  it("asks for so many iterations, and refuses what is no number of them", async () => {
    proof(NONE);
    const blank = screen.getByLabelText("iterations of the flow");
    await userEvent.clear(blank);
    await userEvent.type(blank, "half");
    expect(screen.getByRole("alert").textContent).toContain("whole number");
    expect((screen.getByRole("button", { name: "Prove it" }) as HTMLButtonElement).disabled).toBe(
      true,
    );
    await userEvent.clear(blank);
    await userEvent.type(blank, "80");
    await userEvent.click(screen.getByRole("button", { name: "Prove it" }));
    await waitFor(() =>
      expect(sent(asked, "POST", "variants/3/flow")).toEqual([{ iterations: 80, go_on: false }]),
    );
  });

  it("tells the verdict with its evidence, and goes on", async () => {
    proof({ condition: "current", product: "p", report: REPORT });
    expect(await screen.findByText(/a flow solver takes this mesh/)).toBeTruthy();
    expect(screen.getByRole("img", { name: /residuals of 3/ })).toBeTruthy();
    expect(screen.getByText("It leaks.").previousSibling?.textContent).toBe("✕");
    // the size of the force
    expect(screen.getByText("5")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Go on" }));
    await waitFor(() =>
      expect(sent(asked, "POST", "variants/3/flow")).toEqual([{ iterations: 50, go_on: true }]),
    );
  });

  it("goes on with none of another hand-over", async () => {
    proof({ condition: "outdated", product: "p", report: REPORT });
    expect(await screen.findByText(/of an earlier hand-over/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Go on" })).toBeNull();
  });

  it("opens a slice for a field of cells and closes it for one of the patches", async () => {
    proof({ condition: "current", product: "p", report: REPORT });
    const choice = await screen.findByLabelText("field of the flow to show");
    await userEvent.selectOptions(choice, "speed");
    expect(useViewStore.getState()).toMatchObject({ field: "speed", slice: { on: true } });
    await userEvent.selectOptions(choice, "shear");
    expect(useViewStore.getState()).toMatchObject({ field: "shear", slice: { on: false } });
  });

  it("stops and keeps while it runs", async () => {
    const job = { id: "j", variant: 3, target: "flow", stage: "flow", state: "running" };
    proof(
      { condition: "looking", product: "l", report: { ...REPORT, verdict: "running" } },
      { job },
    );
    await userEvent.click(screen.getByRole("button", { name: "Stop and keep" }));
    await waitFor(() => expect(sent(asked, "POST", "jobs/j/stop")).toHaveLength(1));
    expect(screen.queryByRole("button", { name: "Prove it" })).toBeNull();
  });
});
