// @vitest-environment jsdom
import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, test, vi } from "vitest";
import type { BlankDescription } from "../api/client";
import { benchWith, onBench, REPORTS, variantWith } from "../testing/bench";
import { Blank } from "./Blank";
import type { RowField } from "./rows";

const number = (name: string, unit: string) => ({
  name,
  type: "number",
  label: name,
  rule: "",
  unit,
  above: null,
  least: null,
  most: null,
  choices: [],
});

const field = (name: string, unit: string, start: unknown, optional = false) => ({
  ...number(name, unit),
  optional,
  start,
});
const form = (key: string, label: string, fits: string, blanks: RowField[] = []) => ({
  key,
  label,
  fits: [fits],
  told_by: [],
  blanks,
});

const CONDITIONS: BlankDescription = {
  ...number("conditions", ""),
  type: "kinded",
  label: "conditions",
  rows: {
    by: "is",
    common: [{ ...field("patches", "", ["*"]), type: "patterns" }],
    forms: [
      form("speed", "let it in", "inlet", [
        field("speed", "m/s", 0),
        field("temperature", "°C", 20, true),
      ]),
      form("mass", "let a mass in", "inlet", [field("rate", "kg/s", 1)]),
      form("pressure", "let it out", "outlet", [field("pressure", "Pa", 0)]),
      form("no_slip", "hold the fluid", "wall"),
      form("moving", "move", "wall", [{ ...field("velocity", "m/s", [0, 0, 0]), type: "point" }]),
    ],
  },
};

const PATCHES = [
  { name: "in_a", kind: "inlet", faces: ["f1"], area: 1 },
  { name: "in_b", kind: "inlet", faces: ["f2"], area: 1 },
  { name: "out", kind: "outlet", faces: ["f3"], area: 1 },
  { name: "skin", kind: "wall", faces: ["f4"], area: 1 },
];

function shown(value: unknown) {
  const change = vi.fn();
  const variant = variantWith({ patches: { report: { ...REPORTS.patches!, patches: PATCHES } } });
  onBench(
    <Blank blank={CONDITIONS} value={value} changed={false} wrong={false} change={change} />,
    benchWith({ stage: "case", variant }),
  );
  return change;
}

afterEach(cleanup);

const SPEED = { patches: ["in_a"], is: "speed", speed: 2 };

test("a row for all that has none is proposed with the likeliest kind", async () => {
  const change = shown([SPEED]);
  await userEvent.click(screen.getByRole("button", { name: "+ in_b" }));
  // patches of one kind come together
  expect(change).toHaveBeenCalledWith([SPEED, { patches: ["in_b"], is: "speed", speed: 0 }]);
});

test("only kinds that suit the patches can be chosen, and numbers that both have are kept", async () => {
  const change = shown([{ ...SPEED, patches: ["in_*"] }]);
  const kinds = screen.getByLabelText("kind of conditions 1");
  expect([...kinds.querySelectorAll("option")].map((o) => o.textContent)).toEqual([
    "let it in",
    "let a mass in",
  ]);
  await userEvent.selectOptions(kinds, "mass");
  expect(change).toHaveBeenCalledWith([{ patches: ["in_*"], is: "mass", rate: 1 }]);
});

test("numbers are taken on Enter, optional ones added and left out", async () => {
  const change = shown([SPEED]);
  const speed = screen.getByLabelText("speed of conditions 1");
  await userEvent.clear(speed);
  await userEvent.type(speed, "2 * bore{Enter}");
  expect(change).toHaveBeenLastCalledWith([{ ...SPEED, speed: "2 * bore" }]);
  await userEvent.click(screen.getByTitle("add temperature"));
  expect(change).toHaveBeenLastCalledWith([{ ...SPEED, temperature: 20 }]);
  cleanup();
  const again = shown([{ ...SPEED, temperature: 35 }]);
  await userEvent.click(screen.getByLabelText("leave out temperature of conditions 1"));
  expect(again).toHaveBeenLastCalledWith([SPEED]);
});

test("three numbers stand for a vector", async () => {
  const change = shown([{ patches: ["skin"], is: "moving", velocity: [1, 2, 3] }]);
  const y = screen.getByLabelText("velocity of conditions 1, y");
  await userEvent.clear(y);
  await userEvent.type(y, "-5{Enter}");
  expect(change).toHaveBeenCalledWith([{ patches: ["skin"], is: "moving", velocity: [1, -5, 3] }]);
});

test("names are taken as a list, and a row can go", async () => {
  const change = shown([SPEED, { patches: ["*"], is: "no_slip" }]);
  const names = screen.getByLabelText("patches of conditions 1");
  await userEvent.clear(names);
  await userEvent.type(names, "in_a, in_b{Enter}");
  expect(change).toHaveBeenLastCalledWith([
    { ...SPEED, patches: ["in_a", "in_b"] },
    { patches: ["*"], is: "no_slip" },
  ]);
  await userEvent.click(screen.getByLabelText("remove conditions 2"));
  expect(change).toHaveBeenLastCalledWith([SPEED]);
});
