// @vitest-environment jsdom
import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it } from "vitest";
import {
  benchWith,
  EMPTY,
  onBench,
  REPORTS,
  STAGES,
  stateWith,
  variantWith,
} from "../testing/bench";
import { sent, serving } from "../testing/server";
import { useViewStore } from "../view/store";
import { pageOf } from "./registry";

/** The value beside some words in a table of facts. */
function fact(words: string): string | null {
  return screen.getByText(words).parentElement?.querySelector("dd")?.textContent ?? null;
}

function shown(stage: string, bench = benchWith({ stage })) {
  const { Consequences } = pageOf(stage);
  return onBench(<Consequences />, { ...bench, stage });
}

afterEach(() => {
  cleanup();
  useViewStore.getState().reset();
});

describe("what settings come to", () => {
  it("tells the size of the part", () => {
    shown("geometry");
    expect(fact("Overall size")).toBe("60 × 20 × 20 mm");
    expect(fact("Closed")).toContain("yes");
  });

  it("tells the fluid", () => {
    shown("domain");
    expect(fact("Openings found")).toBe("1");
    expect(fact("Fluid volume")).toBe("9,236 mm³");
    // 4V/A
    expect(fact("Passage width 4V/A")).toBe("12.5 mm");
  });

  it("forecasts while the sizes are current only", () => {
    shown("sizing");
    expect(fact("Forecast, cells")).toBe("≈ 21,000");
    cleanup();
    const variant = variantWith({ sizing: { condition: "outdated" } });
    shown("sizing", benchWith({ variant }));
    expect(screen.queryByText("Forecast, cells")).toBeNull();
  });

  it("tells how many edges are walked over, and keeps every one on request", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    const report = { ...REPORTS.sizing, seams: [[0, 1]] };
    shown("sizing", benchWith({ variant: variantWith({ sizing: { report } }) }));
    expect(screen.getByText(/walked over/).textContent).toMatch(/^One edge is walked over/);
    await userEvent.click(screen.getByRole("button", { name: "Keep every edge" }));
    expect(sent(asked, "PATCH", "variants/5/settings")).toEqual([{ sizing: { walk_over: 0 } }]);
    cleanup();
    const settings = { walk_over: 0 };
    shown("sizing", benchWith({ variant: variantWith({ sizing: { settings } }) }));
    await userEvent.click(screen.getByRole("button", { name: "Walk over seams" }));
    expect(sent(asked, "PATCH", "variants/5/settings")[1]).toEqual({ sizing: { walk_over: null } });
  });

  it("tells how far the surface is from the part", () => {
    shown("surface");
    expect(fact("against CAD")).toBe("−0.4 %");
  });

  it("tells on how much of a wall layers stand", () => {
    shown("layers");
    expect(fact("Cells in layers")).toBe("234");
    expect(screen.getByRole("img").getAttribute("aria-label")).toBe(
      "wall: all layers on 90 %, some on 8 %, none on 2 %",
    );
    expect(screen.getByText(/all on 90 %/).textContent).toContain("of which 10 % lowered");
    cleanup();
    const none = { report: { ...REPORTS.layers!, patches: [] }, settings: { layers: [] } };
    shown("layers", benchWith({ variant: variantWith({ layers: none }) }));
    expect(screen.getByText(/No layers/)).toBeTruthy();
    expect(pageOf("layers").headline(benchWith({ variant: variantWith({ layers: none }) }))).toBe(
      "none",
    );
    expect(pageOf("layers").headline(benchWith())).toBe("5 on 90 %");
  });

  it("counts cells by shape, and all as tetrahedra in results of version 0.3", () => {
    shown("volume");
    expect(fact("Prisms")).toBe("234");
    expect(fact("Tetrahedra")).toBe("1,000");
    cleanup();
    const { cells_by_shape: _, ...old } = REPORTS.volume!;
    shown("volume", benchWith({ variant: variantWith({ volume: { report: old } }) }));
    expect(fact("Tetrahedra")).toBe("1,234");
  });

  it("tells the Reynolds number as the settings stand", () => {
    shown("case");
    // 998.2 · 1 · 0.014 / 1.002e-3
    expect(fact("Reynolds number, inflow")).toBe("13,900");
    expect(screen.getByText("Export mesh and case")).toBeTruthy();
    const files = screen.getAllByRole("listitem").map((row) => row.textContent);
    expect(files.map((f) => f?.split(/\d/)[0])).toEqual([
      "mesh.cgns",
      "case.yaml",
      "patches/wall.stl",
    ]);
  });

  it("says nothing of what does not exist yet", () => {
    for (const stage of STAGES) {
      shown(stage, benchWith({ variant: variantWith(EMPTY) }));
      expect(screen.queryByText("Export mesh and case")).toBeNull();
      expect(pageOf(stage).headline(benchWith({ variant: variantWith(EMPTY) }))).toBe("");
      cleanup();
    }
  });
});

describe("headlines of the strip", () => {
  it.each([
    ["geometry", "3 faces"],
    ["domain", "9,240 mm³"],
    ["patches", "3 patches"],
    ["sizing", "≈ 21,000 cells"],
    ["surface", "2,412 triangles"],
    ["volume", "1,234 cells"],
    ["case", "mesh valid"],
  ])("%s: %s", (stage, words) => {
    expect(pageOf(stage).headline(benchWith())).toBe(words);
  });
  it("a case that is not valid says so", () => {
    const report = { ...REPORTS.case, valid: false };
    const variant = variantWith({ case: stateWith("case", { report }) });
    expect(pageOf("case").headline(benchWith({ variant }))).toBe("not valid");
  });
});

describe("the surface's metrics", () => {
  it("put the worst first and have bars where the report tells them", async () => {
    shown("surface");
    const row = (name: string) => {
      const button = screen.getByRole("button", { name: new RegExp(`^${name}`) });
      return [...button.closest("tr")!.querySelectorAll("td")].slice(1).map((c) => c.textContent);
    };
    expect(row("Smallest angle")).toEqual(["0.1", "0.3", "0.6"]);
    expect(row("Largest angle")).toEqual(["0.6", "0.3", "0.1"]);
    expect(screen.getByTitle("40 to 60: 2,400 triangles")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /^Largest angle/ }));
    expect(screen.queryByTitle("40 to 60: 2,400 triangles")).toBeNull();
  });
});

describe("the table of metrics", () => {
  it("puts the worst first, whichever way that is", () => {
    shown("volume");
    const row = (name: string) =>
      [...screen.getByText(name).closest("tr")!.querySelectorAll("td")].map((c) => c.textContent);
    expect(row("Equiangle skewness").slice(1)).toEqual(["0.6", "0.3", "0.1"]);
    expect(row("Smallest dihedral angle").slice(1)).toEqual(["24", "52", "70"]);
    expect(screen.getByRole("button", { name: /^Volume/ }).textContent).toContain("mm³");
  });

  it("shows the cells of a bar, and the whole mesh again", async () => {
    shown("volume");
    await userEvent.click(screen.getByLabelText("234 cells from 0.3 to 0.6"));
    expect(useViewStore.getState().range).toEqual({
      metric: "equiangle_skewness",
      low: 0.3,
      high: 0.6,
    });
    await userEvent.click(screen.getByText("Whole mesh"));
    expect(useViewStore.getState().range).toBeNull();
  });

  it("changes the metric, and bars without cells cannot be chosen", async () => {
    shown("volume");
    await userEvent.click(screen.getByRole("button", { name: /^Volume/ }));
    expect(useViewStore.getState().metric).toBe("volume");
    await userEvent.click(screen.getByLabelText("0 cells from 1 to 4"));
    expect(useViewStore.getState().range).toBeNull();
  });
});

describe("marks in the model", () => {
  it("stand at closed openings and pins of the domain", () => {
    const marks = pageOf("domain").marks!(benchWith());
    expect(marks.map((m) => m.text)).toEqual(["opening_1 closed", "fluid here"]);
    const around = { ...stateWith("domain").settings, where: "around" };
    const variant = variantWith({ domain: { settings: around } });
    expect(pageOf("domain").marks!(benchWith({ variant }))).toEqual([]);
  });
});
