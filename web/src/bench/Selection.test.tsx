// @vitest-environment jsdom
import { act, cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { benchWith, onBench } from "../testing/bench";
import { Refusal, sent, serving } from "../testing/server";
import { useViewStore } from "../view/store";
import { Selection } from "./Selection";

const view = () => useViewStore.getState();

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  view().reset();
});

describe("the selection", () => {
  it("is told with its area", () => {
    view().setSelected([0, 2]);
    onBench(<Selection />);
    // 100 and 102
    expect(screen.getByText("2 faces, 202 mm²")).toBeTruthy();
  });

  it("is turned over, hidden, left alone and shown again", async () => {
    view().setSelected([0]);
    onBench(<Selection />);
    await userEvent.click(screen.getByText("All but"));
    expect(view().selected).toEqual([1, 2]);
    await userEvent.click(screen.getByText("Hide"));
    expect(view()).toMatchObject({ hidden: [1, 2], selected: [] });
    await userEvent.click(screen.getByText("Show 2 hidden"));
    expect(view().hidden).toEqual([]);
    act(() => view().setSelected([2]));
    await userEvent.click(screen.getByText("Only this"));
    expect(view().hidden).toEqual([0, 1]);
    await userEvent.click(screen.getByText("None"));
    expect(view().selected).toEqual([]);
  });

  it("grows as the core says, by names and with the angle", async () => {
    const path = "variants/5/stages/geometry/select";
    const asked = serving({ [`POST ${path}`]: { faces: ["inlet", "outlet"] } });
    view().setSelected([0]);
    onBench(<Selection />);
    const angle = screen.getByLabelText("angle that stops following, in degrees");
    await userEvent.clear(angle);
    await userEvent.type(angle, "35");
    await userEvent.click(screen.getByText("follow to"));
    await waitFor(() => expect(view().selected).toEqual([0, 1]));
    expect(sent(asked, "POST", path)).toEqual([{ faces: ["inlet"], how: "follow", angle: 35 }]);
  });

  it("of the fluid is asked of Domain", async () => {
    const path = "variants/5/stages/domain/select";
    const asked = serving({ [`POST ${path}`]: { faces: ["skin"] } });
    view().setSelected([2]);
    onBench(<Selection />, benchWith({ stage: "patches" }));
    await userEvent.click(screen.getByText("radius"));
    await waitFor(() => expect(sent(asked, "POST", path)).toHaveLength(1));
  });

  it("says why it cannot grow, and stays", async () => {
    serving({ "POST variants/5/stages/geometry/select": new Refusal(400, "There is no face.") });
    view().setSelected([1]);
    onBench(<Selection />);
    await userEvent.click(screen.getByText("plane"));
    expect((await screen.findByRole("alert")).textContent).toContain("There is no face.");
    expect(view().selected).toEqual([1]);
  });

  it("gives way to the ruler", () => {
    view().setSelected([1]);
    view().setTool("ruler");
    const { container } = onBench(<Selection />);
    expect(container.textContent).toBe("");
  });

  it("tells the face under the pointer while nothing is selected", () => {
    useViewStore.setState({ hovered: 1 });
    onBench(<Selection />);
    expect(screen.getByText("outlet, plane, 101 mm²")).toBeTruthy();
  });
});
