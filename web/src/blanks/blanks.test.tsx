// @vitest-environment jsdom
import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { BlankDescription } from "../api/client";
import { benchWith, onBench } from "../testing/bench";
import { Blank } from "./Blank";

function described(change: Partial<BlankDescription>): BlankDescription {
  return {
    name: "largest",
    type: "length",
    label: "largest edge",
    rule: "Under a tenth of the passage.",
    unit: "{unit}",
    above: 0,
    least: null,
    most: null,
    choices: [],
    rows: null,
    ...change,
  };
}

function shown(blank: BlankDescription, value: unknown, more = {}) {
  const change = vi.fn();
  onBench(
    <aside>
      <Blank blank={blank} value={value} changed={false} wrong={false} change={change} {...more} />
    </aside>,
    benchWith({ stage: "sizing" }),
  );
  return change;
}

afterEach(cleanup);

describe("a number", () => {
  it("is sent on Enter, as a number", async () => {
    const change = shown(described({}), 4);
    const box = screen.getByLabelText("largest edge");
    await userEvent.clear(box);
    await userEvent.type(box, "2,5{Enter}");
    expect(change).toHaveBeenCalledExactlyOnceWith(2.5);
    expect(screen.getByText("mm")).toBeTruthy();
  });
  it("goes to the server as it is when it is an expression", async () => {
    const change = shown(described({}), 4);
    await userEvent.clear(screen.getByLabelText("largest edge"));
    await userEvent.type(screen.getByLabelText("largest edge"), "gap / 2{Enter}");
    expect(change).toHaveBeenCalledWith("gap / 2");
  });
  it("is left alone by Escape, and by leaving it as it was", async () => {
    const change = shown(described({}), 4);
    const box = screen.getByLabelText("largest edge") as HTMLInputElement;
    await userEvent.type(box, "9{Escape}");
    expect(box.value).toBe("4");
    await userEvent.tab();
    expect(change).not.toHaveBeenCalled();
  });
});

describe("a hint", () => {
  const more = { changed: true, reason: "A tenth of the passage width 4V/A = 25.4 mm." };
  it("tells reason and rule, and gives the derived value back", async () => {
    const change = shown(described({}), 4, more);
    const box = screen.getByLabelText("largest edge");
    await userEvent.click(box);
    const hint = document.getElementById(box.getAttribute("aria-describedby")!)!;
    expect(hint.textContent).toContain("Derived value: A tenth of the passage width");
    expect(hint.textContent).toContain("Under a tenth of the passage.");
    expect(hint.className).not.toContain("invisible");
    await userEvent.click(screen.getByText("Take the derived value"));
    expect(change).toHaveBeenCalledWith(null);
  });
  it("stands beside the brief, not in it", async () => {
    shown(described({}), 4, more);
    const box = screen.getByLabelText("largest edge");
    const aside = box.closest("aside")!;
    aside.getBoundingClientRect = () => new DOMRect(900, 0, 300, 700);
    await userEvent.hover(box);
    const hint = document.getElementById(box.getAttribute("aria-describedby")!)!;
    // its right edge keeps clear of the left edge of the brief
    expect(window.innerWidth - Number.parseFloat(hint.style.right)).toBeLessThan(900);
    expect(hint.className).toContain("fixed");
  });
});

describe("a point", () => {
  it("is sent when one coordinate has changed", async () => {
    const change = shown(described({ type: "point", label: "point" }), [1, 2, 3]);
    const y = screen.getByLabelText("point, y");
    await userEvent.clear(y);
    await userEvent.type(y, "-7{Enter}");
    expect(change).toHaveBeenCalledWith([1, -7, 3]);
  });
});

describe("patches", () => {
  const rows = [
    { name: "inflow", kind: "inlet", faces: ["inlet"] },
    { name: "wall", kind: "wall", faces: "rest" },
  ];
  it("take their kinds from the core's list", async () => {
    const change = shown(described({ type: "patches", name: "patches" }), rows);
    const kind = screen.getByLabelText("kind of inflow") as HTMLSelectElement;
    expect([...kind.options].map((o) => o.text)).toEqual(["inlet", "outlet", "wall", "far field"]);
    await userEvent.selectOptions(kind, "far_field");
    expect(change).toHaveBeenCalledWith([{ ...rows[0], kind: "far_field" }, rows[1]]);
  });
});

describe("sizes", () => {
  it("take their clusterings from the core's list", async () => {
    const row = { between: ["inflow", "wall"], count: 20, cluster: "uniform", ratio: 1 };
    const change = shown(described({ type: "sizes", name: "sizes" }), [row]);
    const cluster = screen.getAllByRole("combobox").at(-1) as HTMLSelectElement;
    expect([...cluster.options].map((o) => o.text)).toEqual(["evenly", "closer at both ends"]);
    await userEvent.selectOptions(cluster, "both");
    expect(change).toHaveBeenCalledWith([{ ...row, cluster: "both" }]);
  });

  it("keep an edge, or walk over it, by hand", async () => {
    const row = { between: ["inflow", "wall"], seam: false };
    const change = shown(described({ type: "sizes", name: "sizes" }), [row]);
    const meaning = screen.getByLabelText("meaning of edge 1");
    expect(meaning.textContent).toContain("keep the edge");
    await userEvent.selectOptions(meaning, "seam");
    expect(change).toHaveBeenCalledWith([{ ...row, seam: true }]);
  });
});

describe("a choice", () => {
  it("shows its words", () => {
    const choices = [
      ["inside", "the fluid is inside the part"],
      ["around", "the fluid is around the part"],
    ];
    shown(described({ type: "choice", label: "where the fluid is", choices }), "around");
    expect(screen.getByLabelText(/^where the fluid is:/).textContent).toContain("around the part");
  });
});

describe("openings", () => {
  it("are left open one by one", async () => {
    const change = shown(described({ type: "names", name: "closed" }), ["opening_1", "opening_2"]);
    await userEvent.click(screen.getByLabelText("leave opening_2 open"));
    expect(change).toHaveBeenCalledWith(["opening_1"]);
  });
});
