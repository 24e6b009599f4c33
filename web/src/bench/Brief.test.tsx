// @vitest-environment jsdom
import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { BlankDescription, StageDescription } from "../api/client";
import { benchWith, onBench, STAGES, stateWith, variantWith } from "../testing/bench";
import { Refusal, sent, serving } from "../testing/server";
import { useViewStore } from "../view/store";
import { Brief } from "./Brief";

function blank(name: string): BlankDescription {
  return {
    name,
    type: "length",
    label: `${name} edge`,
    rule: "",
    unit: "{unit}",
    above: 0,
    least: null,
    most: null,
    choices: [],
    rows: null,
  };
}

const STAGE_ROWS = STAGES.map((key) => ({
  key,
  title: key[0]!.toUpperCase() + key.slice(1),
  sentences:
    key === "sizing"
      ? [
          { text: "Edges go from {smallest} to {largest}.", only: {} },
          { text: "They fill the gaps.", only: { smallest: ["7"] } },
        ]
      : [],
  action: `Make ${key}`,
  needs: [],
  blanks: key === "sizing" ? [blank("smallest"), blank("largest")] : [],
})) as unknown as StageDescription[];

function brief(change: Partial<Parameters<typeof benchWith>[0]> = {}) {
  return onBench(
    <Brief trouble={null} />,
    benchWith({ stages: STAGE_ROWS, stage: "sizing", ...change }),
  );
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  useViewStore.getState().reset();
});

describe("the brief", () => {
  it("offers the files of a geometry", () => {
    brief({ stage: "geometry" });
    expect(screen.getAllByText(/Files: write it/)).toHaveLength(1);
  });

  it("is sentences with the values in them, and only those that apply", () => {
    brief();
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Sizing");
    expect(screen.getByText(/Edges go from/)).toBeTruthy();
    expect((screen.getByLabelText("smallest edge") as HTMLInputElement).value).toBe("1");
    expect(screen.queryByText(/They fill the gaps/)).toBeNull();
  });

  it("sends a changed value, of its stage and name", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    brief();
    const box = screen.getByLabelText("largest edge");
    await userEvent.clear(box);
    await userEvent.type(box, "3{Enter}");
    await waitFor(() =>
      expect(sent(asked, "PATCH", "variants/5/settings")).toEqual([{ sizing: { largest: 3 } }]),
    );
  });

  it("says beside the blank why a value is refused", async () => {
    const problem = new Refusal(400, "largest edge must be above 0.", { blank: "sizing.largest" });
    serving({ "PATCH variants/5/settings": problem });
    brief();
    const box = screen.getByLabelText("largest edge");
    await userEvent.clear(box);
    await userEvent.type(box, "-3{Enter}");
    const alert = await screen.findByRole("alert");
    expect(alert.textContent).toContain("must be above 0. The earlier value is kept.");
    expect(screen.getByLabelText("largest edge").className).toContain("wrong");
    expect(screen.getByLabelText("smallest edge").className).not.toContain("wrong");
  });

  it("runs the stage, and says what runs first", async () => {
    const run = vi.fn();
    const variant = variantWith({
      patches: { condition: "outdated" },
      sizing: { condition: "outdated" },
    });
    brief({ variant, run });
    expect(screen.getByText("runs Patches first")).toBeTruthy();
    await userEvent.click(screen.getByText("Make sizing"));
    expect(run).toHaveBeenCalledExactlyOnceWith("sizing");
  });

  it("has nothing to run while all is up to date", () => {
    brief();
    expect((screen.getByText("Make sizing") as HTMLButtonElement).disabled).toBe(true);
    expect(screen.getByText("✓ up to date")).toBeTruthy();
  });

  it("says what the settings wait for", () => {
    const variant = variantWith({
      geometry: { condition: "none" },
      domain: { condition: "none" },
      patches: { condition: "none" },
      sizing: { settings: null, condition: "none", report: null },
    });
    brief({ variant });
    expect(
      screen.getByText(/as soon as Geometry and Domain and Patches are up to date/),
    ).toBeTruthy();
    expect(screen.queryByLabelText("smallest edge")).toBeNull();
  });

  it("follows a run and can stop it", async () => {
    const asked = serving({ "POST jobs/j7/cancel": {} });
    const job = {
      id: "j7",
      state: "running",
      stage: "surface",
      doing: "splitting",
      share: 0.3,
      seconds_left: 61,
    } as never;
    brief({ job });
    expect(screen.queryByText("Make sizing")).toBeNull();
    const status = screen.getByRole("status");
    expect(status.textContent).toContain("30 %");
    expect(status.textContent).toContain("surface: splitting");
    await userEvent.click(screen.getByText("Cancel"));
    expect(sent(asked, "POST", "jobs/j7/cancel")).toHaveLength(1);
  });

  it("marks values that differ from what was derived", () => {
    const sizing = stateWith("sizing", { changed: ["largest"] });
    brief({ variant: variantWith({ sizing }) });
    expect(screen.getByLabelText("largest edge").className).toContain("changed");
    expect(screen.getByLabelText("smallest edge").className).not.toContain("changed");
  });
});
