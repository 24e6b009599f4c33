import { describe, expect, it } from "vitest";
import type { StageState } from "../api/reports";
import { stateWith, variantWith } from "../testing/bench";
import { changeOf, whereOf, withFirstHeights, withOtherNames } from "./offers";

const LAYERS = [
  { patches: ["hull"], count: 12, growth: 1.15, yplus: 1, speed: 2, length: 3, viscosity: 1e-6 },
  { patches: ["*"], count: 8, growth: 1.2, last: 0.5 },
];

function variant(stages: Record<string, Partial<StageState>>) {
  const stateOf = ([stage, own]: [string, Partial<StageState>]) =>
    stateWith(stage, { changed: [], ...own });
  return { ...variantWith(), stages: Object.entries(stages).map(stateOf) };
}

describe("offers", () => {
  it("rename a patch wherever a row that was given names it", () => {
    const v = variant({
      patches: { settings: { patches: [{ name: "in", kind: "inlet", faces: [] }] } },
      layers: { settings: { layers: LAYERS }, changed: [] },
      case: {
        settings: { conditions: [{ patches: ["in", "out"], is: "speed" }], warmth: [] },
        changed: ["conditions", "warmth"],
      },
    });
    expect(withOtherNames(v, { in: "feed" })).toEqual({
      patches: { patches: [{ name: "feed", kind: "inlet", faces: [] }] },
      case: { conditions: [{ patches: ["feed", "out"], is: "speed" }] },
    });
    expect(changeOf(v, { do: "rename", names: { in: "feed" }, on: true })).toEqual(
      withOtherNames(v, { in: "feed" }),
    );
  });

  it("leave rows alone that follow from names by themselves", () => {
    const v = variant({
      patches: { settings: { patches: [{ name: "in", kind: "inlet", faces: [] }] } },
      case: { settings: { conditions: [{ patches: ["in"], is: "speed" }] } },
    });
    expect(Object.keys(withOtherNames(v, { in: "feed" }))).toEqual(["patches"]);
  });

  it("give walls a first height, as many and growing as they were", () => {
    const made = withFirstHeights(LAYERS, [{ patches: ["hull", "fin"], first: 0.02 }]);
    expect(made).toEqual([
      { patches: ["hull", "fin"], count: 12, growth: 1.15, first: 0.02 },
      { patches: ["*"], count: 8, growth: 1.2, last: 0.5 },
    ]);
    expect(withFirstHeights([], [{ patches: ["fin"], first: 1 }])).toEqual([
      { patches: ["fin"], count: 8, growth: 1.2, first: 1 },
    ]);
  });

  it("say where they change something", () => {
    expect(whereOf({ do: "rename", on: true })).toContain("Patches");
    expect(whereOf({ do: "first_height", on: true })).toContain("Layers");
    expect(whereOf({ do: "sew", on: true })).toContain("repair");
  });
});
