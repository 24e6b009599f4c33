// @vitest-environment jsdom
/** A value that is added to the core's description of a row is seen and set without a line here. */
import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import STAGES from "../../stages.json";
import type { BlankDescription, StageDescription } from "../api/client";
import { benchWith, onBench } from "../testing/bench";
import { Blank } from "./Blank";
import { formOf, newRow, type RowField } from "./rows";

const LISTS: [string, string, Record<string, unknown>][] = [
  ["layers", "last", { patches: ["*"], count: 8, growth: 1.2, last: 0.5 }],
  ["divisions", "growth", { patches: ["*"], count: 8, growth: 1.2 }],
  ["sizes", "size", { between: ["*"], size: 1 }],
  ["regions", "sphere", { name: "near", shape: "sphere", size: 1, start: [0, 0, 0], radius: 1 }],
  ["pins", "", { name: "fluid", at: [0, 0, 0], kind: "fluid" }],
  ["limits", "", { of: "warp", value: 1 }],
  ["kinded", "no_slip", { patches: ["*"], is: "no_slip" }],
];

const ALL = (STAGES as unknown as StageDescription[]).flatMap((s) => s.blanks);
const blankOf = (type: string, form: string): BlankDescription =>
  ALL.find((b) => b.type === type && b.rows!.forms.some((f) => f.key === form))!;

/** The description with a made-up value in one form. */
function withColour(blank: BlankDescription, form: string, more: Partial<RowField>) {
  const colour: RowField = {
    ...blank.rows!.forms.concat()[0]!.blanks[0]!,
    ...{ name: "colour", type: "number", label: "colour", rule: "", unit: "nm" },
    ...{ above: null, least: null, most: null, choices: [], optional: false, start: 550 },
    ...more,
  };
  const forms = blank.rows!.forms.map((f) =>
    f.key === form ? { ...f, blanks: [...f.blanks, colour] } : f,
  );
  return { ...blank, rows: { ...blank.rows!, forms } };
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe.each(LISTS)("rows of %s", (type, form, row) => {
  it("have a form that is told from them", () => {
    expect(formOf(blankOf(type, form).rows!, row)?.key).toBe(form);
  });

  it.each([
    ["number", {}, "600", 600],
    [
      "choice",
      {
        choices: [
          ["red", "red"],
          ["blue", "blue"],
        ],
        start: "red",
      },
      "blue",
      "blue",
    ],
  ])("show and set a made-up %s", async (kind, more, typed, set) => {
    const blank = withColour(blankOf(type, form), form, { type: kind, ...(more as object) });
    const change = vi.fn();
    onBench(
      <Blank blank={blank} value={[row]} changed={false} wrong={false} change={change} />,
      benchWith({ stage: "sizing" }),
    );
    const held = screen.getByLabelText(/^colour of /);
    if (kind === "choice") await userEvent.selectOptions(held, typed);
    else {
      expect((held as HTMLInputElement).value).toBe("550");
      await userEvent.clear(held);
      await userEvent.type(held, `${typed}{Enter}`);
    }
    expect(change).toHaveBeenLastCalledWith([{ ...row, colour: set }]);
  });
});

it("begins a row with what the core says", () => {
  const rows = blankOf("layers", "last").rows!;
  expect(newRow(rows, "last")).toEqual({ patches: ["*"], count: 8, growth: 1.2, last: 0.5 });
  const flags = withColour(blankOf("layers", "last"), "last", { optional: true }).rows!;
  expect(newRow(flags, "last", { count: 3 })).not.toHaveProperty("colour");
});
