// @vitest-environment jsdom
import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { benchWith, onBench, variantWith } from "../../testing/bench";
import { type Asked, Refusal, sent, serving } from "../../testing/server";
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
  monitors: {
    outflow: { flow_rate: [1, 2, 3], mean_pressure: [0, 0, 0] },
    inflow: { flow_rate: [-3, -3, -3], mean_pressure: [9, 8, 7] },
  },
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

const PROFILE = {
  distance: [0, 1],
  velocity: [],
  speed: [1, 2],
  pressure: [],
  temperature: [null, null],
};
const BOX = { domain: { report: { low: [0, 0, 0], high: [9, 3, 5], pin: null } } };

let asked: Asked[] = [];

function proof(flow: unknown, change = {}) {
  asked = serving({
    "GET jobs": [],
    "GET variants/3/flow": flow,
    "GET variants/3/flow/profile": PROFILE,
    "GET variants/4/flow/profile": PROFILE,
    "GET variants/6/flow/profile": new Refusal(404, "No flow has been computed yet."),
    "GET studies/2": {
      variants: [
        { id: 3, name: "own" },
        { id: 4, name: "coarse" },
        { id: 6, name: "raw" },
      ],
    },
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

  it("draws what flowed through each patch instead of the residuals", async () => {
    proof({ condition: "current", product: "p", report: REPORT });
    const choice = await screen.findByLabelText("what is drawn over the iterations");
    await userEvent.selectOptions(choice, "flow_rate");
    expect(screen.getByRole("img", { name: /flow out of each patch of 3/ })).toBeTruthy();
    expect(screen.queryByRole("img", { name: /residuals/ })).toBeNull();
    expect(screen.getByText("outflow")).toBeTruthy();
  });

  it("lays the flow of another variant over a profile, or says why not", async () => {
    const variant = variantWith(BOX as never);
    proof({ condition: "current", product: "p", report: REPORT }, { variant });
    const over = await screen.findByLabelText("known solution");
    await screen.findByRole("option", { name: "coarse" });
    await userEvent.selectOptions(over, "coarse");
    expect(await screen.findByText("coarse", { selector: "span" })).toBeTruthy();
    await userEvent.selectOptions(over, "raw");
    expect(await screen.findByText(/raw: No flow has been computed yet/)).toBeTruthy();
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
