// @vitest-environment jsdom
import { cleanup, fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it } from "vitest";
import { reportOf, useBench } from "../study/context";
import { benchWith, onBench } from "../testing/bench";
import { placed } from "../view/planes";
import { useViewStore } from "../view/store";
import { SliceRail } from "./SliceRail";

const slice = () => useViewStore.getState().slice;

/** The rail with its planes as the model view places them. */
function Rail() {
  const { variant } = useBench();
  const { planes } = useViewStore((s) => s.slice);
  const space = reportOf(variant, "domain")!;
  return (
    <SliceRail planes={planes.map((p) => placed(p, space))} panel={false} openPanel={() => {}} />
  );
}

describe("the slice rail", () => {
  afterEach(() => {
    cleanup();
    useViewStore.getState().reset();
  });

  it("is off until it is touched, and goes off again", async () => {
    onBench(<Rail />, benchWith({ stage: "volume" }));
    expect(slice().on).toBe(false);
    await userEvent.click(screen.getByRole("button", { name: "slice" }));
    expect(slice().on).toBe(true);
    await userEvent.click(screen.getByRole("button", { name: "slice" }));
    expect(slice().on).toBe(false);
  });

  it("starts at the pin and moves along the axis", async () => {
    onBench(<Rail />, benchWith({ stage: "volume" }));
    await userEvent.click(screen.getByRole("button", { name: "slice across x" }));
    expect(slice()).toMatchObject({ on: true, planes: [{ normal: [1, 0, 0], share: null }] });
    // the pin lies in the middle, at 30 of 60
    expect(screen.getByText(/^30/)).toBeTruthy();
    fireEvent.change(screen.getByLabelText("position of the slice"), { target: { value: "0.25" } });
    expect(slice().planes[0]!.share).toBe(0.25);
    expect(screen.getByText(/^15/)).toBeTruthy();
  });

  it("shows whole cells or the flat cut, one side or both", async () => {
    onBench(<Rail />, benchWith({ stage: "volume" }));
    expect(screen.getByLabelText("whole cells").getAttribute("aria-pressed")).toBe("true");
    await userEvent.click(screen.getByLabelText("flat cut"));
    expect(slice()).toMatchObject({ on: true, flat: true });
    await userEvent.click(screen.getByLabelText("only the cells of the plane"));
    expect(slice()).toMatchObject({ flat: true, side: "plane" });
  });

  it("offers the layers alone where there are some", async () => {
    const { unmount } = onBench(<Rail />, benchWith({ stage: "volume" }));
    expect(screen.queryByLabelText("layers alone, behind the plane")).toBeNull();
    unmount();
    const bench = benchWith({ stage: "volume" });
    const volume = bench.variant.stages.find((s) => s.stage === "volume")!;
    (volume.report as { layer_cells?: number }).layer_cells = 12;
    onBench(<Rail />, bench);
    await userEvent.click(screen.getByLabelText("flat cut"));
    await userEvent.click(screen.getByLabelText("layers alone, behind the plane"));
    expect(slice()).toMatchObject({ on: true, flat: false, peel: true });
    await userEvent.click(screen.getByLabelText("flat cut"));
    expect(slice()).toMatchObject({ flat: true, peel: false });
  });

  it("takes back a choice of cells: one of them is shown", async () => {
    useViewStore.getState().setRange({ metric: "volume", low: 0, high: 1 });
    onBench(<Rail />, benchWith({ stage: "volume" }));
    await userEvent.click(screen.getByLabelText("flat cut"));
    expect(useViewStore.getState().range).toBeNull();
  });
});
