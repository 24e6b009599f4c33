// @vitest-environment jsdom
import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import STAGES from "../../stages.json";
import type { BlankDescription, StageDescription } from "../api/client";
import { benchWith, onBench, REPORTS, variantWith } from "../testing/bench";
import { serving } from "../testing/server";
import { useViewStore } from "../view/store";
import { Blank } from "./Blank";
import { Stack } from "./layers/Stack";
import { freeName, moveFaces } from "./PatchesBlank";

/** A blank of a type as the core describes it; a plain one where no stage has such. */
function described(type: string): BlankDescription {
  const known = (STAGES as unknown as StageDescription[]).flatMap((s) => s.blanks);
  return known.find((b) => b.type === type && b.rows) ?? plain(type);
}

function plain(type: string): BlankDescription {
  return {
    name: type,
    type,
    label: type,
    rule: "",
    unit: "{unit}",
    above: null,
    least: null,
    most: null,
    choices: [],
    rows: null,
  };
}

function shown(type: string, value: unknown, more: Partial<Parameters<typeof benchWith>[0]> = {}) {
  const change = vi.fn();
  onBench(
    <Blank blank={described(type)} value={value} changed={false} wrong={false} change={change} />,
    benchWith({ stage: "sizing", ...more }),
  );
  return change;
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  useViewStore.getState().reset();
});

const OPERATIONS = [
  {
    key: "sew",
    title: "Sew faces",
    sentence: "Sew faces within {tolerance}.",
    group: "repair",
    cad: true,
    facets: true,
    default: { tolerance: 0.01 },
    blanks: [{ ...plain("length"), name: "tolerance", label: "tolerance" }],
  },
  {
    key: "drop_unreached",
    title: "Drop what the fluid never reaches",
    sentence: "Drop what no ball {wide} across gets to.",
    group: "repair",
    cad: true,
    facets: true,
    default: { wide: 1, keep: [] },
    blanks: [{ ...described("number"), name: "wide", label: "ball", unit: "" }],
  },
  {
    key: "weld",
    title: "Weld nodes",
    sentence: "Weld nodes.",
    group: "repair",
    cad: false,
    facets: true,
    default: {},
    blanks: [],
  },
  {
    key: "scale",
    title: "Scale",
    sentence: "Scale by {factor}.",
    group: "motion",
    cad: true,
    facets: true,
    default: { factor: 2 },
    blanks: [{ ...described("number"), name: "factor", label: "factor", unit: "" }],
  },
];

describe("repairs", () => {
  const rows = [
    { do: "sew", on: true, tolerance: 0.3 },
    { do: "scale", on: false, factor: 10 },
  ];
  function repairs(value: unknown, report: Record<string, unknown> = {}) {
    serving({ "GET operations": OPERATIONS });
    const variant = variantWith({ geometry: { report: { ...REPORTS.geometry!, ...report } } });
    return shown("operations", value, { stage: "geometry", variant });
  }

  it("are sentences that can be switched off", async () => {
    const change = repairs(rows);
    expect(await screen.findByText(/Sew faces within/)).toBeTruthy();
    await userEvent.click(screen.getByLabelText("repair 1 on"));
    expect(change).toHaveBeenCalledWith([{ ...rows[0], on: false }, rows[1]]);
  });

  it("are moved and taken back", async () => {
    const change = repairs(rows);
    await screen.findByText(/Sew faces within/);
    const earlier = screen.getByLabelText("repair 1 earlier") as HTMLButtonElement;
    expect(earlier.disabled).toBe(true);
    await userEvent.click(screen.getByLabelText("repair 1 later"));
    expect(change).toHaveBeenLastCalledWith([rows[1], rows[0]]);
    await userEvent.click(screen.getByLabelText("remove repair 2"));
    expect(change).toHaveBeenLastCalledWith([rows[0]]);
  });

  it("get new values in their sentence", async () => {
    const change = repairs(rows);
    const box = await screen.findByLabelText("tolerance");
    await userEvent.clear(box);
    await userEvent.type(box, "0.5{Enter}");
    expect(change).toHaveBeenLastCalledWith([{ ...rows[0], tolerance: 0.5 }, rows[1]]);
  });

  it("tell what no ball gets to, and let each be kept or judged", async () => {
    const row = { do: "drop_unreached", on: true, wide: 60, keep: ["pump"] };
    const action = (title: string, done: string) => ({
      do: "drop_unreached",
      title,
      done,
      volume_change: 0,
    });
    const log = [
      {
        do: "drop_unreached",
        on: true,
        done: "dropped: 1",
        count: 1,
        volume_change: -4,
        area_change: 0,
        actions: [
          action("Screw_7", "dropped: a ball 40 mm across touches it"),
          action("pump", "kept by name: a ball 20 mm across touches it"),
          action("frame", "kept: a ball 90 mm across touches it"),
        ],
        problem: null,
        places: [],
      },
    ];
    const change = repairs([row], { log });
    await screen.findByText(/Screw_7: dropped: a ball 40 mm/);
    expect(screen.getAllByRole("button", { name: /^keep/ })).toHaveLength(1);
    await userEvent.click(screen.getByRole("button", { name: "keep Screw_7" }));
    expect(change).toHaveBeenLastCalledWith([{ ...row, keep: ["pump", "Screw_7"] }]);
    await userEvent.click(screen.getByRole("button", { name: "judge pump by the ball" }));
    expect(change).toHaveBeenLastCalledWith([{ ...row, keep: [] }]);
  });

  it("are added with their defaults, and only those that fit the model", async () => {
    const change = repairs([]);
    const add = screen.getByLabelText("add a repair or motion") as HTMLSelectElement;
    await within(add).findByText("Sew faces");
    expect([...add.options].map((o) => o.text)).toEqual([
      "+ add …",
      "Sew faces",
      "Drop what the fluid never reaches",
      "Scale",
    ]);
    await userEvent.selectOptions(add, "scale");
    expect(change).toHaveBeenCalledWith([{ do: "scale", on: true, factor: 2 }]);
  });

  it("tell what they did, or why they did nothing", async () => {
    const did = {
      on: true,
      done: "4 gaps sewn",
      count: 4,
      volume_change: -0.25,
      area_change: 0,
      actions: [],
      problem: null,
      places: [],
    };
    const log = [
      { ...did, do: "sew" },
      { ...did, do: "scale", problem: "The factor is too large." },
    ];
    repairs([rows[0], { ...rows[1], on: true }], { log });
    expect(await screen.findByText(/4 gaps sewn, volume −0.25 mm³/)).toBeTruthy();
    expect(screen.getByRole("alert").textContent).toContain("The factor is too large.");
  });

  it("offer all that is safe where something can be repaired", async () => {
    const finding = { repairs: [{ label: "Sew", operation: { do: "sew" } }], places: [] };
    const change = repairs([], { findings: [finding] });
    await userEvent.click(screen.getByText("Repair all that is safe"));
    const [row] = change.mock.calls[0]![0];
    expect(row).toMatchObject({ do: "repair_safe", on: true });
    // far under the model's diagonal of 66 mm
    expect(row.tolerance).toBeGreaterThan(0);
    expect(row.tolerance).toBeLessThan(0.66);
  });
});

describe("patches", () => {
  const rows = [
    { name: "inflow", kind: "inlet", faces: ["inlet"] },
    { name: "wall", kind: "wall", faces: "rest" as const },
  ];

  it("are renamed on Enter", async () => {
    const change = shown("patches", rows);
    const box = screen.getByLabelText("name of patch inflow");
    await userEvent.clear(box);
    await userEvent.type(box, "feed{Enter}");
    expect(change).toHaveBeenCalledWith([{ ...rows[0], name: "feed" }, rows[1]]);
  });

  it("show their faces in the model", async () => {
    shown("patches", rows);
    await userEvent.click(screen.getByText("all the rest, 2 faces"));
    expect(useViewStore.getState().selected).toEqual([1, 2]);
  });

  it("take the selection, and give it back to the rest", async () => {
    useViewStore.getState().setSelected([1]);
    const change = shown("patches", rows);
    await userEvent.click(screen.getByText("Put selection here"));
    expect(change.mock.calls[0]![0][0].faces).toEqual(["inlet", "outlet @ 0 0 1"]);
    await userEvent.click(screen.getByText("Give selection back"));
    expect(change.mock.calls[1]![0]).toEqual(rows);
  });

  it("are made from the selection under a free name", async () => {
    useViewStore.getState().setSelected([0, 2]);
    const change = shown("patches", rows);
    await userEvent.click(screen.getByText("New patch from 2 faces"));
    expect(change.mock.calls[0]![0]).toEqual([
      { name: "patch_1", kind: "wall", faces: ["inlet @ 0 0 0", "skin @ 0 0 2"] },
      { ...rows[0], faces: [] },
      rows[1],
    ]);
  });

  it("are renamed many at once, as often as the pattern fits", async () => {
    const two = [...rows, { name: "wall_top", kind: "wall", faces: ["skin"] }];
    const change = shown("patches", two);
    const press = screen.getByRole("button", { name: "Rename" }) as HTMLButtonElement;
    expect(press.disabled).toBe(true);
    await userEvent.type(screen.getByLabelText("name pattern to rename"), "wall*");
    await userEvent.type(screen.getByLabelText("new name pattern"), "hull*");
    await userEvent.click(screen.getByRole("button", { name: "Rename 2" }));
    expect(change.mock.calls[0]![0].map((p: { name: string }) => p.name)).toEqual([
      "inflow",
      "hull",
      "hull_top",
    ]);
  });

  it("are removed, but never the rest", async () => {
    const change = shown("patches", rows);
    expect(screen.queryByLabelText("remove patch wall")).toBeNull();
    await userEvent.click(screen.getByLabelText("remove patch inflow"));
    expect(change).toHaveBeenCalledWith([rows[1]]);
  });

  it("keep a face on one patch only", () => {
    const moved = moveFaces(
      [{ ...rows[0]!, faces: ["a", "b @ 1 2 3"] }, { ...rows[0]!, faces: [] }, rows[1]!],
      ["b"],
      1,
    );
    expect(moved.map((p) => p.faces)).toEqual([["a"], ["b"], "rest"]);
    expect(freeName([{ ...rows[0]!, name: "Patch_1" }], "patch")).toBe("patch_2");
  });
});

describe("regions", () => {
  const ball = { name: "wake", shape: "sphere", start: [1, 2, 3], radius: 4, size: 0.5, easing: 2 };

  it("are added of each shape, within the fluid, under a free name", async () => {
    const change = shown("regions", [{ ...ball, name: "region_1" }]);
    for (const shape of ["box", "cylinder", "sphere", "frustum", "shell"]) {
      change.mockClear();
      await userEvent.click(screen.getByText(`+ ${shape}`));
      const made = change.mock.calls[0]![0][1];
      expect(made).toMatchObject({ name: "region_2", shape });
      expect(made.size).toBeGreaterThan(0);
      expect(made.size).toBeLessThan(2);
    }
  });

  it("are a sentence with numbers that change one by one", async () => {
    const change = shown("regions", [ball]);
    const y = screen.getByLabelText("start y of wake");
    await userEvent.clear(y);
    await userEvent.type(y, "-7{Enter}");
    expect(change).toHaveBeenLastCalledWith([{ ...ball, start: [1, -7, 3] }]);
    const edge = screen.getByLabelText("edge length in wake");
    await userEvent.clear(edge);
    await userEvent.type(edge, "0,25{Enter}");
    expect(change).toHaveBeenLastCalledWith([{ ...ball, size: 0.25 }]);
  });

  it("name the patches of a shell", async () => {
    const shell = { name: "skin", shape: "shell", patches: ["wall"], thickness: 1, size: 0.5 };
    const change = shown("regions", [shell]);
    const box = screen.getByLabelText("patches of skin");
    await userEvent.clear(box);
    await userEvent.type(box, "wall, hull*{Enter}");
    expect(change).toHaveBeenLastCalledWith([{ ...shell, patches: ["wall", "hull*"] }]);
  });

  it("are removed", async () => {
    const change = shown("regions", [ball]);
    await userEvent.click(screen.getByLabelText("remove wake"));
    expect(change).toHaveBeenCalledWith([]);
  });
});

describe("layers", () => {
  const ROW = { patches: ["wall*"], count: 3, growth: 2, last: 0.5 };

  it("are none, and asked for on all walls by one button", async () => {
    const change = shown("layers", []);
    await userEvent.click(screen.getByRole("button", { name: "Layers on all walls" }));
    expect(change).toHaveBeenCalledWith([{ patches: ["*"], count: 8, growth: 1.2, last: 0.5 }]);
  });

  const TOLD = { first: 1, last: 4, total: 7, of_edge: false, ends: [0, 1 / 7, 3 / 7, 1] };
  const FLOW = { speed: 2, length: 12.5, viscosity: 1e-6, along: "pipe", yplus: 3, told: true };
  const telling = (layers: object[], flow: object | null = FLOW) =>
    serving({
      "GET variants/5/layers/foretold": { flow, asked: flow, layers, divisions: [], count: 10 },
    });

  it("are drawn to scale with their numbers, as the core tells them", async () => {
    telling([{ ...TOLD, core: 0.084, flow: null }]);
    shown("layers", [{ ...ROW, last: undefined, total: 7 }]);
    expect(await screen.findByRole("img", { name: "3 layers to scale" })).toBeTruthy();
    expect(screen.getByText(/first 1/).textContent).toBe("first 1last 4all 7 mm");
    expect(screen.getByText(/first core cell about 0.084 times/)).toBeTruthy();
  });

  it("tell how many lie inside the boundary layer of a plate", () => {
    const flow = { along: "plate", reynolds: 1e6, friction: 0.004, thickness: 22.2, within: 2 };
    onBench(<Stack told={{ ...TOLD, core: null, flow }} unit="mm" />, benchWith({}));
    expect(screen.getByText(/2 of 3 layers inside/).textContent).toMatch(/about 22 mm$/);
  });

  it("change number by number, and by what they are given", async () => {
    telling([{ ...TOLD, core: null, flow: null }]);
    const change = shown("layers", [{ ...ROW, last: undefined, total: 7 }]);
    const field = screen.getByLabelText("number of layers 1");
    await userEvent.clear(field);
    await userEvent.type(field, "5{Enter}");
    expect(change.mock.lastCall?.[0][0]).toMatchObject({ count: 5, total: 7 });
    await screen.findByRole("img", { name: "3 layers to scale" });
    // in another measure the layers stay as high as they are
    await userEvent.selectOptions(screen.getByLabelText("what is given of layers 1"), "first");
    expect(change.mock.lastCall?.[0]).toEqual([
      { patches: ["wall*"], count: 3, growth: 2, first: 1 },
    ]);
  });

  it("by y⁺ begin with the flow of the case, and say what that comes to", async () => {
    const flow = { along: "pipe", reynolds: 25000, friction: 0.006, thickness: 6.25, within: 3 };
    telling([{ ...TOLD, core: null, flow }]);
    const change = shown("layers", [ROW]);
    const what = screen.getByLabelText("what is given of layers 1");
    await screen.findByRole("option", { name: "the first at y⁺" });
    await userEvent.selectOptions(what, "yplus");
    const row = change.mock.lastCall?.[0]?.[0];
    const own = { speed: 2, length: 12.5, viscosity: 1e-6, along: "pipe" };
    expect(row).toEqual({ patches: ["wall*"], count: 3, growth: 2, yplus: 1, ...own });
    cleanup();
    shown("layers", [row]);
    expect((await screen.findByText(/smooth pipe/)).textContent).toMatch(/Re 25,000.*3 of 3/);
    cleanup();
    telling([{ ...TOLD, core: null, flow }], { ...FLOW, told: false });
    shown("layers", [row]);
    expect(await screen.findByText(/tells no speed yet/)).toBeTruthy();
  });

  it("are not told of a row that the core has not seen", async () => {
    const asked = telling([{ ...TOLD, core: null, flow: null }]);
    shown("layers", [ROW, ROW]);
    await vi.waitFor(() => expect(asked.length).toBeGreaterThan(0));
    await screen.findAllByRole("option", { name: "the first at y⁺" });
    expect(screen.queryByRole("img")).toBeNull();
  });

  it("are removed", async () => {
    const change = shown("layers", [ROW, { ...ROW, patches: ["vane"] }]);
    await userEvent.click(screen.getByRole("button", { name: "remove layers 1" }));
    expect(change).toHaveBeenCalledWith([{ ...ROW, patches: ["vane"] }]);
  });
});

describe("layers divided again", () => {
  const TOLD = {
    ...{ total: 0.744, growth: 2, fits: "well", first: 0.106, last: 0.425 },
    ...{ ends: [0, 1 / 7, 3 / 7, 1], start: 0.083 },
  };
  const telling = (division: object | null) =>
    serving({
      "GET variants/5/layers/foretold": {
        ...{ flow: null, asked: null, layers: [], count: 10 },
        divisions: [division],
      },
    });

  it("are none, until one asks for it", async () => {
    telling(null);
    const change = shown("divisions", []);
    expect(screen.getByText("not at all.")).toBeTruthy();
    await vi.waitFor(async () => {
      await userEvent.click(screen.getByRole("button", { name: "Divide them again" }));
      expect(change).toHaveBeenLastCalledWith([{ patches: ["*"], count: 10, growth: 1.2 }]);
    });
  });

  it("are drawn as they will be, by their growth or their first height", async () => {
    const row = { patches: ["wall*"], count: 3, growth: 2 };
    telling(TOLD);
    const change = shown("divisions", [row]);
    expect((await screen.findByText(/first 0/)).textContent).toBe(
      "first 0.106last 0.425all 0.744 mm",
    );
    await userEvent.selectOptions(screen.getByRole("combobox"), "first");
    expect(change.mock.lastCall?.[0]).toEqual([{ patches: ["wall*"], count: 3, first: 0.083 }]);
    for (const [fits, words] of [
      ["flat", /will be even/],
      ["steep", /will begin higher/],
    ] as const) {
      cleanup();
      telling({ ...TOLD, fits });
      shown("divisions", [{ patches: ["wall*"], count: 3, first: 5 }]);
      expect(await screen.findByText(words)).toBeTruthy();
    }
  });

  it("are removed", async () => {
    const row = { patches: ["wall*"], count: 3, growth: 2 };
    const change = shown("divisions", [row]);
    await userEvent.click(screen.getByRole("button", { name: /^remove/ }));
    expect(change).toHaveBeenCalledWith([]);
  });
});

describe("pins", () => {
  const pins = [
    { name: "fluid", at: [30, 0, 0], kind: "fluid" },
    { name: "jacket", at: [1, 2, 3], kind: "fluid" },
  ];

  it("say fluid or dry", async () => {
    const change = shown("pins", pins);
    await userEvent.selectOptions(screen.getByLabelText("what the pin jacket says"), "dry");
    expect(change).toHaveBeenCalledWith([pins[0], { ...pins[1], kind: "dry" }]);
  });

  it("are placed in the model, and put down again", async () => {
    shown("pins", pins);
    const place = screen.getAllByText("place")[1]!;
    await userEvent.click(place);
    expect(useViewStore.getState()).toMatchObject({ tool: "pin", pin: "jacket" });
    await userEvent.click(place);
    expect(useViewStore.getState().tool).toBe("turn");
  });

  it("get another under a free name, and the last one stays", async () => {
    const change = shown("pins", pins);
    await userEvent.click(screen.getByText("+ pin for another zone"));
    expect(change.mock.calls[0]![0][2]).toEqual({ name: "zone_2", at: [30, 0, 0], kind: "fluid" });
    await userEvent.click(screen.getByLabelText("remove pin fluid"));
    expect(change).toHaveBeenLastCalledWith([pins[1]]);
    cleanup();
    shown("pins", [pins[0]]);
    expect(screen.queryByLabelText("remove pin fluid")).toBeNull();
  });

  it("are renamed, which names the zone", async () => {
    const change = shown("pins", pins);
    const box = screen.getByLabelText("zone of pin fluid");
    await userEvent.clear(box);
    await userEvent.type(box, "water{Enter}");
    expect(change).toHaveBeenCalledWith([{ ...pins[0], name: "water" }, pins[1]]);
  });
});
