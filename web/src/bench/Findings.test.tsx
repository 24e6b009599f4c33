// @vitest-environment jsdom
import { cleanup, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Finding } from "../api/reports";
import { benchWith, onBench, REPORTS, variantWith } from "../testing/bench";
import { sent, serving } from "../testing/server";
import { useViewStore } from "../view/store";
import { Findings } from "./Findings";

const GAP: Finding = {
  code: "gap",
  level: "error",
  message: "Faces do not meet.",
  count: 3,
  places: [
    [1, 2, 3],
    [4, 5, 6],
  ],
  advice: "Sew the faces.",
  size: 0.25,
  measure: "width in mm",
  cause: "The export rounded the edges.",
  faces: ["outlet", "skin"],
  repairs: [{ label: "Sew within 0.3 mm", operation: { do: "sew", tolerance: 0.3 } }],
  histogram: { edges: [0, 0.1, 0.3], count: [2, 1] },
};

function withFindings(findings: Finding[], stage = "geometry") {
  const report = { ...REPORTS[stage]!, findings };
  return benchWith({ stage, variant: variantWith({ [stage]: { report } }) });
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  useViewStore.getState().reset();
});

describe("findings", () => {
  it("are not there where nothing is wrong", () => {
    const { container } = onBench(<Findings />, withFindings([]));
    expect(container.textContent).toBe("");
  });

  it("tell what, how many, how large and why", () => {
    onBench(<Findings />, withFindings([GAP]));
    expect(screen.getByRole("heading").textContent).toBe("Findings (1)");
    const row = screen.getByRole("listitem");
    expect(row.textContent).toContain("1 Faces do not meet. (3)");
    expect(row.textContent).toContain("0.25 width in mm");
    expect(row.textContent).toContain("The export rounded the edges.");
    // with a repair on offer the advice would only repeat it
    expect(row.textContent).not.toContain("Sew the faces.");
  });

  it("come one by one while they are looked for, and say how far that is", () => {
    const report = { ...REPORTS.geometry!, findings: [GAP] };
    const looking = { condition: "looking" as const, report };
    const job = { doing: "looking for faces that cross", share: 0.62, state: "running" };
    const bench = (state: object) =>
      benchWith({ variant: variantWith({ geometry: state }), job: job as never });
    const { again } = onBench(<Findings />, bench({ ...looking, report: REPORTS.geometry }));
    expect(screen.getByRole("heading").textContent).toBe("Findings so far (0)");
    expect(screen.getByText(/looking for faces that cross, 62 %/)).toBeTruthy();
    again(<Findings />, bench(looking));
    expect(screen.getByRole("heading").textContent).toBe("Findings so far (1)");
    expect(screen.getByRole("listitem").textContent).toContain("Faces do not meet.");
  });

  it("give advice where no repair is offered", () => {
    onBench(<Findings />, withFindings([{ ...GAP, repairs: [] }]));
    expect(screen.getByText("Sew the faces.")).toBeTruthy();
  });

  it("are shown place by place, and their faces selected", async () => {
    const show = vi.fn();
    onBench(<Findings />, { ...withFindings([GAP]), show });
    await userEvent.click(screen.getByText("Show"));
    expect(show).toHaveBeenLastCalledWith([1, 2, 3]);
    expect(useViewStore.getState().selected).toEqual([1, 2]);
    await userEvent.click(screen.getByText("Next, 2 of 2"));
    expect(show).toHaveBeenLastCalledWith([4, 5, 6]);
    // and round again
    await userEvent.click(screen.getByText("Next, 1 of 2"));
    expect(show).toHaveBeenLastCalledWith([1, 2, 3]);
  });

  it("stand in the model with their numbers, and leave with the list", () => {
    const { unmount } = onBench(<Findings />, withFindings([GAP, { ...GAP, code: "other" }]));
    const marks = useViewStore.getState().marks;
    expect(marks.map((m) => m.text)).toEqual(["1", "1", "2", "2"]);
    expect(marks[0]).toMatchObject({ at: [1, 2, 3], tone: "error", title: "Faces do not meet." });
    unmount();
    expect(useViewStore.getState().marks).toEqual([]);
  });

  it("put an offered repair at the end of the list", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    const old = { do: "drop_fins", on: true };
    const report = { ...REPORTS.geometry!, findings: [GAP] };
    const settings = { unit: "file", angle: 40, repairs: [old] };
    const variant = variantWith({ geometry: { report, settings } });
    onBench(<Findings />, benchWith({ variant }));
    await userEvent.click(screen.getByText("Sew within 0.3 mm"));
    await waitFor(() =>
      expect(sent(asked, "PATCH", "variants/5/settings")).toEqual([
        { geometry: { repairs: [old, { on: true, do: "sew", tolerance: 0.3 }] } },
      ]),
    );
  });

  it("offer nothing that would take back a change on its way, nor twice", async () => {
    let answer: (told: unknown) => void = () => {};
    const asked = serving({
      "PATCH variants/5/settings": () => new Promise((resolve) => (answer = resolve)),
    });
    onBench(<Findings />, withFindings([GAP]));
    const sew = screen.getByRole("button", { name: "Sew within 0.3 mm" });
    await userEvent.click(sew);
    await waitFor(() => expect(sew.hasAttribute("disabled")).toBe(true));
    await userEvent.click(sew);
    answer(variantWith());
    await waitFor(() => expect(sew.hasAttribute("disabled")).toBe(false));
    expect(sent(asked, "PATCH", "variants/5/settings")).toHaveLength(1);
  });

  it("wait with what they offer for the answer to the newest settings", () => {
    onBench(<Findings />, withFindings([GAP, { ...GAP, message: "Of before.", earlier: true }]));
    const [now, earlier] = screen.getAllByRole("button", { name: "Sew within 0.3 mm" });
    expect(now!.hasAttribute("disabled")).toBe(false);
    expect(earlier!.hasAttribute("disabled")).toBe(true);
  });

  it("put sizes that are to be kept among the regions", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    const row = { name: "mended_1", shape: "sphere", size: 0.5, start: [1, 2, 3], radius: 2 };
    const repairs = [{ label: "Keep these sizes", operation: { do: "keep_sizes", rows: [row] } }];
    const report = { ...REPORTS.surface!, findings: [{ ...GAP, repairs }] };
    const old = { name: "jet", shape: "sphere", size: 1, start: [0, 0, 0], radius: 3 };
    const settings = { smallest: 1, largest: 2, sizes: [], regions: [old] };
    const variant = variantWith({ surface: { report }, sizing: { settings } });
    onBench(<Findings />, benchWith({ variant, stage: "surface" }));
    await userEvent.click(screen.getByText("Keep these sizes"));
    await waitFor(() =>
      expect(sent(asked, "PATCH", "variants/5/settings")).toEqual([
        { sizing: { regions: [old, row] } },
      ]),
    );
  });

  it("sew up to the width of a bar", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    onBench(<Findings />, withFindings([GAP]));
    const bars = within(screen.getByRole("figure")).getAllByRole("button");
    expect(bars.map((b) => b.getAttribute("aria-label"))).toEqual([
      "2 edges up to 0.102 mm: sew within it",
      "1 edges up to 0.306 mm: sew within it",
    ]);
    await userEvent.click(bars[1]!);
    await waitFor(() =>
      expect(sent(asked, "PATCH", "variants/5/settings")).toEqual([
        { geometry: { repairs: [{ do: "sew", on: true, tolerance: 0.306 }] } },
      ]),
    );
  });

  it("of an older result are not shown beside new settings", () => {
    const report = { ...REPORTS.volume!, findings: [GAP] };
    const variant = variantWith({ volume: { report, condition: "outdated" } });
    const { container } = onBench(<Findings />, benchWith({ stage: "volume", variant }));
    expect(container.textContent).toBe("");
  });

  it("hold why a run failed, with its places", async () => {
    const show = vi.fn();
    const problem = {
      code: "surface-crosses",
      message: "Triangles cross others.",
      places: [[7, 8, 9]],
      blank: null,
    };
    const variant = variantWith({ surface: { condition: "none", report: null } });
    const lastJob = { state: "failed", stage: "surface", target: "case", problem } as never;
    onBench(<Findings />, benchWith({ stage: "surface", variant, lastJob, show }));
    expect(screen.getByText(/Triangles cross others/)).toBeTruthy();
    await userEvent.click(screen.getByText("Show"));
    expect(show).toHaveBeenCalledWith([7, 8, 9]);
  });

  it("hold why settings cannot be used", () => {
    const error = { code: "unit", message: "There is no unit “ell”.", blank: null, places: [] };
    const variant = variantWith({ geometry: { error } });
    onBench(<Findings />, benchWith({ variant }));
    expect(screen.getByText(/There is no unit “ell”/)).toBeTruthy();
  });

  it("are accepted with a reason, which can be taken back, but never an error", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    const caution: Finding = { ...GAP, code: "beyond-warp", level: "caution", repairs: [] };
    onBench(<Findings />, withFindings([caution, GAP]));
    const [row, error] = screen.getAllByRole("listitem");
    expect(within(error!).queryByRole("button", { name: "Accept …" })).toBeNull();
    await userEvent.click(within(row!).getByRole("button", { name: "Accept …" }));
    const why = within(row!).getByLabelText("why this is accepted");
    expect(within(row!).getByRole("button", { name: "Accept" }).hasAttribute("disabled")).toBe(
      true,
    );
    await userEvent.type(why, "  blunted later {Enter}");
    await waitFor(() =>
      expect(sent(asked, "PATCH", "variants/5/settings")).toContainEqual({
        accepted: { "geometry.beyond-warp": "blunted later" },
      }),
    );
  });

  it("tell the reason once they are accepted, and are open again when it is taken back", async () => {
    const asked = serving({ "PATCH variants/5/settings": variantWith() });
    const accepted: Finding = { ...GAP, level: "note", accepted: "as drawn", repairs: [] };
    onBench(<Findings />, withFindings([accepted]));
    expect(screen.getByRole("listitem").textContent).toContain("accepted: as drawn");
    await userEvent.click(screen.getByRole("button", { name: "Take back" }));
    await waitFor(() =>
      expect(sent(asked, "PATCH", "variants/5/settings")).toContainEqual({
        accepted: { "geometry.gap": null },
      }),
    );
  });
});
