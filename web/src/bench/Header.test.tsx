// @vitest-environment jsdom
import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Study } from "../api/client";
import { benchWith, onBench, variantWith } from "../testing/bench";
import { Refusal, sent, serving } from "../testing/server";
import { Header } from "./Header";

const STUDY = {
  id: 2,
  name: "pipe",
  variants: [
    { id: 5, name: "first" },
    { id: 6, name: "fine" },
  ],
} as unknown as Study;

function header(
  change: Partial<Parameters<typeof benchWith>[0]> = {},
  answers = {},
  study: Partial<Study> = {},
) {
  const asked = serving({ "GET jobs": [], ...answers });
  const calls = { undo: vi.fn(), redo: vi.fn(), refresh: vi.fn(), help: vi.fn(), search: vi.fn() };
  onBench(
    <Header study={{ ...STUDY, ...study }} {...calls} />,
    benchWith({ stage: "sizing", ...change }),
  );
  return { asked, ...calls };
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  history.replaceState(null, "", "/");
});

describe("the header", () => {
  it("tells the size of the part", () => {
    header();
    expect(screen.getByTitle("Overall size of the part").textContent).toBe("60 × 20 × 20 mm");
  });

  it("goes to the shelf, and to another variant at the same stage", async () => {
    header();
    await userEvent.click(screen.getByText("fine"));
    expect(location.pathname).toBe("/study/2/6/sizing");
    await userEvent.click(screen.getByLabelText("Back to the shelf"));
    expect(location.pathname).toBe("/");
  });

  it("renames the study when the name is left, but not to nothing", async () => {
    const { asked, refresh } = header({}, { "PATCH studies/2": {} });
    const name = screen.getByLabelText("Name of the study") as HTMLInputElement;
    await userEvent.clear(name);
    await userEvent.tab();
    expect(name.value).toBe("pipe");
    await userEvent.clear(name);
    await userEvent.type(name, "bent pipe{Enter}");
    await waitFor(() => expect(refresh).toHaveBeenCalled());
    expect(sent(asked, "PATCH", "studies/2")).toEqual([{ name: "bent pipe" }]);
  });

  it("says why a name was not kept, and shows the one that is", async () => {
    header({}, { "PATCH studies/2": new Refusal(404, "No such study.") });
    const name = screen.getByLabelText("Name of the study") as HTMLInputElement;
    await userEvent.clear(name);
    await userEvent.type(name, "bent pipe{Enter}");
    expect((await screen.findByRole("alert")).textContent).toContain("No such study.");
    expect(name.value).toBe("pipe");
  });

  it("lets nobody rename or branch who only looks", () => {
    const variant = { ...variantWith(), can_undo: true, can_redo: true };
    header({ variant }, {}, { role: "look" });
    expect((screen.getByLabelText("Name of the study") as HTMLInputElement).readOnly).toBe(true);
    for (const one of [screen.getByLabelText("New variant"), screen.getByText("Undo")])
      expect((one as HTMLButtonElement).disabled).toBe(true);
  });

  it("branches a variant from the one at hand", async () => {
    const { asked, refresh } = header({}, { "POST studies/2/variants": { id: 8 } });
    await userEvent.click(screen.getByLabelText("New variant"));
    await userEvent.type(screen.getByLabelText("Name of the new variant"), "coarse{Enter}");
    await waitFor(() => expect(location.pathname).toBe("/study/2/8/sizing"));
    expect(sent(asked, "POST", "studies/2/variants")).toEqual([{ name: "coarse", source: 5 }]);
    expect(refresh).toHaveBeenCalledOnce();
  });

  it("says why a variant was not made", async () => {
    header({}, { "POST studies/2/variants": new Refusal(400, "There is one of that name.") });
    await userEvent.click(screen.getByLabelText("New variant"));
    await userEvent.type(screen.getByLabelText("Name of the new variant"), "fine{Enter}");
    expect((await screen.findByRole("alert")).textContent).toBe("There is one of that name.");
  });

  it("lets one step back only where there is a step", async () => {
    const variant = { ...variantWith(), can_undo: true };
    const { undo } = header({ variant });
    expect((screen.getByText("Redo") as HTMLButtonElement).disabled).toBe(true);
    await userEvent.click(screen.getByText("Undo"));
    expect(undo).toHaveBeenCalledOnce();
  });

  it("lists the jobs of the last hours, the newest first", async () => {
    const row = { study: 2, variant: 5, target: "case", problem: null, stage: "volume", doing: "" };
    const jobs = [
      { ...row, id: "a", file_name: "a.step", state: "failed", share: 0.2, created: "1" },
      { ...row, id: "b", file_name: "b.step", state: "running", share: 0.6, created: "2" },
    ];
    header({}, { "GET jobs": jobs });
    await userEvent.click(await screen.findByText("◔ 1 running"));
    const words = screen.getAllByText(/\.step to case/).map((e) => e.textContent);
    expect(words).toEqual(["b.step to case", "a.step to case"]);
    expect(screen.getByText("failed")).toBeTruthy();
    expect(screen.getByText("60 %")).toBeTruthy();
  });
});
