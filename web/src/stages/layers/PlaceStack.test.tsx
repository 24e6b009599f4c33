// @vitest-environment jsdom
import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { benchWith, onBench } from "../../testing/bench";
import { serving } from "../../testing/server";
import { useViewStore } from "../../view/store";
import type { Viewport } from "../../view/viewport";
import { facts, PlaceStack } from "./PlaceStack";

const STACK = {
  at: [1, 2, 3],
  number: 3,
  most: 3,
  reached: [0, 0.1, 0.3, 0.5],
  asked: [0, 0.1, 0.3, 0.7],
  edge: 0.8,
};
const view = { project: () => [10, 20] } as unknown as Viewport;
const bench = benchWith({});
const place = { face: 2, at: [1, 2, 3] };

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  useViewStore.getState().reset();
});

describe("the layers at one place", () => {
  it("are told beside those asked for, where they differ", () => {
    expect(facts(STACK, "mm", 10)).toEqual([
      ["layers", "3 of 3"],
      ["first", "0.1 mm"],
      ["last", "0.2 (0.4) mm"],
      ["all", "0.5 (0.7) mm"],
      ["last over edge", "0.25"],
      ["y⁺, estimated", "1"],
    ]);
    expect(facts({ ...STACK, number: 0, most: 0, reached: [0] }, "mm", 10)).toEqual([
      ["layers", "0 of 3"],
    ]);
    expect(facts({ ...STACK, number: 1 }, "mm", null)[0]).toEqual(["layers", "1 to 3 of 3"]);
  });

  it("are drawn to scale, and closed", async () => {
    serving({ [`GET variants/${bench.variant.id}/stack?x=1&y=2&z=3&face=2`]: STACK });
    useViewStore.getState().setPlace(place);
    onBench(<PlaceStack view={view} place={place} product="p" yplusEach={null} />, bench);
    expect(await screen.findByRole("img", { name: "3 of 3 layers, to scale" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "close the layers here" }));
    expect(useViewStore.getState().place).toBeNull();
  });

  it("are none where none are asked for", async () => {
    serving({});
    onBench(<PlaceStack view={view} place={place} product="p" yplusEach={null} />, bench);
    expect(await screen.findByText("None are asked for on this face.")).toBeTruthy();
  });
});
