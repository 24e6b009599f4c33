// @vitest-environment jsdom
import { act, cleanup, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { benchWith, onBench } from "../testing/bench";
import type { Viewport } from "../view/viewport";
import { CellReadout } from "./CellReadout";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

it("tells the cell under a resting pointer anew when another picture is drawn", () => {
  vi.stubGlobal("requestAnimationFrame", (then: () => void) => then());
  vi.stubGlobal("cancelAnimationFrame", () => {});
  let cell = 887;
  const view = {
    cellAt: () => ({ cell, value: 0.5, at: [1, 2, 3], distance: 1 }),
  } as unknown as Viewport;
  onBench(<CellReadout view={view} />, benchWith({ stage: "volume" }));
  act(() => view.onPoint({ clientX: 5, clientY: 5 }));
  expect(screen.getByText(/cell 887/)).toBeTruthy();
  cell = 1092;
  act(() => view.onDrawn());
  expect(screen.getByText(/cell 1,092/)).toBeTruthy();
  act(() => view.onPoint(null));
  act(() => view.onDrawn());
  expect(screen.queryByText(/cell/)).toBeNull();
});
