// @vitest-environment jsdom
import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it } from "vitest";
import { benchWith, EMPTY, onBench, STAGES, variantWith } from "../testing/bench";
import { useViewStore } from "../view/store";
import { Ledger } from "./Ledger";

describe("the ledger", () => {
  afterEach(() => {
    cleanup();
    useViewStore.getState().reset();
  });

  it("lists what each stage has, one stage after the other", () => {
    const { again } = onBench(<Ledger />, benchWith({ stage: "geometry" }));
    expect(screen.getByText("pipe")).toBeTruthy();
    const wanted: Record<string, string> = {
      domain: "opening_1",
      patches: "inflow",
      sizing: "inflow",
      surface: "wall",
      layers: "wall",
      volume: "1,234 cells",
      case: "outflow",
    };
    // stages list with hooks of their own: going from one to the next must not mix them up
    for (const stage of [...STAGES.slice(1), ...STAGES.slice(1).reverse()]) {
      again(<Ledger />, benchWith({ stage }));
      expect(screen.getAllByText(wanted[stage]!).length).toBeGreaterThan(0);
    }
  });

  it.each(["?", "[", "(", "*[", "a{1", "\\"])("takes %s in the filter for itself", async (sign) => {
    onBench(<Ledger />, benchWith({ stage: "patches" }));
    const filter = screen.getByLabelText("Filter by name pattern");
    await userEvent.click(filter);
    await userEvent.paste(sign);
    expect((filter as HTMLInputElement).value).toBe(sign);
    expect(screen.queryByText("inflow")).toBeNull();
  });

  it("selects the faces of all rows that fit a pattern", async () => {
    onBench(<Ledger />, benchWith({ stage: "patches" }));
    await userEvent.type(screen.getByLabelText("Filter by name pattern"), "*flow");
    expect(screen.queryByText("wall")).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "select" }));
    expect(useViewStore.getState().selected).toEqual([0, 1]);
  });

  it("keeps the filter from stage to stage", async () => {
    const { again } = onBench(<Ledger />, benchWith({ stage: "patches" }));
    await userEvent.type(screen.getByLabelText("Filter by name pattern"), "wall");
    again(<Ledger />, benchWith({ stage: "volume" }));
    expect((screen.getByLabelText("Filter by name pattern") as HTMLInputElement).value).toBe(
      "wall",
    );
  });

  it("is empty, not broken, before anything is read", () => {
    const variant = variantWith(EMPTY);
    const { again } = onBench(<Ledger />, benchWith({ variant, stage: "geometry" }));
    for (const stage of STAGES) {
      again(<Ledger />, benchWith({ variant, stage }));
      expect(screen.queryByText("pipe")).toBeNull();
    }
  });
});
