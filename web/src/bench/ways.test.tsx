// @vitest-environment jsdom
/** A made-up way of making the mesh: chosen in the brief, and a mesh whatever stage makes it. */
import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { BlankDescription, StageDescription } from "../api/client";
import { judgedOf } from "../quality/judged";
import { pageOf } from "../stages/registry";
import { meshOf, stateGiving, stateNamed } from "../study/context";
import { benchWith, LISTS, onBench, stateWith, variantWith } from "../testing/bench";
import { sent, serving } from "../testing/server";
import { Brief } from "./Brief";

const WAYS: [string, string][] = [
  ["tetrahedra", "tetrahedra"],
  ["fan", "a fan about the middle"],
];

function described(choices: [string, string][]): StageDescription {
  const cells = {
    name: "cells",
    type: "choice",
    label: "cells",
    rule: "",
    unit: "",
    above: null,
    least: null,
    most: null,
    choices,
    rows: null,
  } as BlankDescription;
  return {
    key: "volume",
    title: "Volume",
    sentences: [
      { text: "Fill it with {cells}.", only: {} },
      { text: "They meet in the middle.", only: { cells: ["fan"] } },
    ],
    action: "Fill the volume",
    needs: [],
    gives: ["mesh"],
    blanks: [cells],
  };
}

function brief(choices: [string, string][], cells: string) {
  const variant = variantWith({ volume: { settings: { cells } } });
  return onBench(
    <Brief trouble={null} />,
    benchWith({ variant, stages: [described(choices)], stage: "volume" }),
  );
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("a way of making the mesh", () => {
  it("is words where there is but one", () => {
    brief(WAYS.slice(0, 1), "tetrahedra");
    expect(screen.getByText(/Fill it with/).textContent).toContain("tetrahedra.");
    expect(screen.queryByRole("button", { name: /cells:/ })).toBeNull();
  });

  it("is chosen among several, and has sentences of its own", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    brief(WAYS, "tetrahedra");
    expect(screen.queryByText(/They meet/)).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "cells: tetrahedra" }));
    await userEvent.click(screen.getByRole("option", { name: "a fan about the middle" }));
    expect(sent(asked, "PATCH", "variants/5/settings")).toEqual([{ volume: { cells: "fan" } }]);
    cleanup();
    brief(WAYS, "fan");
    expect(screen.getByText(/They meet/)).toBeTruthy();
  });

  it("makes a mesh that is drawn, judged and compared, whatever its stage is called", () => {
    const variant = variantWith();
    variant.stages = ["geometry", "domain", "patches"].map((s) => stateWith(s));
    const made = stateWith("volume");
    variant.stages.push({ ...made, stage: "blocks" });
    expect(meshOf(variant)?.cells).toBe((made.report as { cells: number }).cells);
    expect(stateGiving(variant, "surface").product).toBeNull();
    const judged = judgedOf({ variant, stage: "blocks", lists: LISTS });
    expect([judged.of, judged.product]).toEqual(["mesh", made.product]);
    const drawn = pageOf("blocks").draws.map((s) => stateNamed(variant, s).stage);
    expect(drawn[0]).toBe("blocks");
  });
});
