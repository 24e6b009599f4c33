// @vitest-environment jsdom
import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { benchWith, EMPTY, onBench, STAGES, variantWith } from "../testing/bench";
import { Strip } from "./Strip";

afterEach(cleanup);

function frame(stage: string) {
  const frames = within(screen.getByRole("navigation", { name: "Stages" })).getAllByRole("button");
  return frames[STAGES.indexOf(stage)]!;
}

describe("the strip", () => {
  it("has a numbered frame for each stage, with its headline", () => {
    onBench(<Strip />);
    STAGES.forEach((stage, k) => {
      expect(frame(stage).textContent).toContain(`${k + 1}${stage}`);
    });
    expect(frame("volume").textContent).toContain("1,234");
    expect(frame("surface").textContent).toContain("2,412");
  });

  it("opens a stage and marks the open one", async () => {
    const openStage = vi.fn();
    onBench(<Strip />, benchWith({ stage: "domain", openStage }));
    expect(frame("domain").getAttribute("aria-current")).toBe("step");
    expect(frame("sizing").getAttribute("aria-current")).toBeNull();
    await userEvent.click(frame("sizing"));
    expect(openStage).toHaveBeenCalledExactlyOnceWith("sizing");
  });

  it("shows the picture of what was made, by its product", () => {
    onBench(<Strip />);
    const picture = frame("volume").querySelector("img")!;
    expect(picture.getAttribute("src")).toBe(
      "/api/variants/5/stages/volume/picture?product=volume-012345678",
    );
  });

  it("has no pictures before anything was run", () => {
    const { container } = onBench(<Strip />, benchWith({ variant: variantWith(EMPTY) }));
    expect(container.querySelectorAll("img")).toHaveLength(0);
  });

  it("tells how far a running stage is, and which one failed", () => {
    const variant = variantWith({
      surface: { condition: "none", report: null },
      volume: { condition: "outdated" },
    });
    const job = { state: "running", stage: "surface", share: 0.42 } as never;
    const running = onBench(<Strip />, benchWith({ variant, job }));
    expect(frame("surface").textContent).toContain("42 %");
    expect(frame("volume").textContent).not.toContain("%");
    const lastJob = { state: "failed", stage: "surface" } as never;
    running.again(<Strip />, benchWith({ variant, lastJob }));
    expect(frame("surface").textContent).toContain("✕");
    expect(frame("volume").textContent).toContain("↻");
    expect(frame("domain").textContent).toContain("✓");
  });
});
