// @vitest-environment jsdom
import { describe, expect, it, vi } from "vitest";
import type { StageDescription } from "../api/client";
import { benchWith, REPORTS, stateWith, variantWith } from "../testing/bench";
import { type Acts, found, targetsOf } from "./goto";

const acts = (): Acts => ({
  open: vi.fn(),
  run: vi.fn(),
  select: vi.fn(),
  show: vi.fn(),
  focus: vi.fn(),
});

const FINDING = {
  code: "c",
  level: "caution",
  message: "Flat cells at the rim.",
  count: 1,
  places: [[1, 2, 3]],
  advice: "",
};

function bench() {
  const report = { ...REPORTS.volume, findings: [FINDING] };
  const variant = variantWith({
    volume: stateWith("volume", { report }),
    case: stateWith("case", { condition: "outdated" }),
  });
  const own = benchWith({ variant, stage: "volume" });
  const stages = own.stages.map((s): StageDescription => {
    if (s.key !== "sizing") return s;
    const named = { name: "largest", label: "largest edge" };
    const unnamed = { name: "other", label: "not in a sentence" };
    return {
      ...s,
      sentences: [{ text: "Up to {largest}.", only: {} }],
      blanks: [named, unnamed] as unknown as StageDescription["blanks"],
    };
  });
  return { ...own, stages };
}

const labels = (asked: string) => found(targetsOf(bench(), acts()), asked).map((t) => t.label);

describe("going to anything", () => {
  it("finds stages, patches, zones, findings and settings by their words", () => {
    expect(labels("inflow")).toEqual(["inflow"]);
    expect(labels("wall patch")).toEqual(["wall"]);
    expect(labels("flat rim")).toEqual(["Flat cells at the rim."]);
    expect(labels("largest edge")).toEqual(["largest edge"]);
    expect(labels("not in a sentence")).toEqual([]);
    expect(labels("zone")).toEqual(["fluid"]);
  });

  it("puts what begins with the words first", () => {
    expect(labels("v")[0]).toBe("volume");
  });

  it("offers to run only what is out of date", () => {
    const runs = targetsOf(bench(), acts()).filter((t) => t.group === "action");
    expect(runs.map((t) => t.hint)).toEqual(["run to case"]);
  });

  it("goes there", () => {
    const did = acts();
    const targets = targetsOf(bench(), did);
    const go = (key: string) => targets.find((t) => t.key === key)!.go();
    go("patch outflow");
    expect(did.select).toHaveBeenCalledWith([1]);
    go("zone fluid");
    expect(did.select).toHaveBeenLastCalledWith([0, 1, 2]);
    go("finding volume 0");
    expect(did.open).toHaveBeenCalledWith("volume");
    expect(did.show).toHaveBeenCalledWith([1, 2, 3]);
    go("setting sizing largest");
    expect(did.focus).toHaveBeenCalledWith("sizing", "largest edge");
    go("run case");
    expect(did.run).toHaveBeenCalledWith("case");
  });

  it("finds no more than fit", () => {
    expect(found(targetsOf(bench(), acts()), "").length).toBe(12);
  });
});
