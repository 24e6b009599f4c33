// @vitest-environment jsdom
import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";
import { benchWith, onBench, variantWith } from "../testing/bench";
import { sent, serving } from "../testing/server";
import { Clash } from "./Clash";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const STALE = { version: 8, blanks: ["sizing.largest"], by: ["ben"] };

it("says nothing while nothing clashes", () => {
  onBench(<Clash />);
  expect(screen.queryByRole("alert")).toBeNull();
});

it("shows both values, and sets one's own when asked", async () => {
  const asked = serving({ "PATCH variants/5/settings": variantWith() });
  const { client } = onBench(<Clash />, benchWith());
  client.setQueryData(["clash", 5], { stale: STALE, change: { sizing: { largest: 3 } } });
  expect(await screen.findByText(/ben changed/)).toBeTruthy();
  expect(screen.getAllByRole("cell").map((c) => c.textContent)).toEqual(["2", "3"]);
  await userEvent.click(screen.getByRole("button", { name: "Set mine" }));
  await waitFor(() =>
    expect(sent(asked, "PATCH", "variants/5/settings")).toEqual([{ sizing: { largest: 3 } }]),
  );
  expect(screen.queryByRole("alert")).toBeNull();
});

it("says that nothing was undone", async () => {
  const { client } = onBench(<Clash />, benchWith());
  client.setQueryData(["clash", 5], { stale: STALE, change: undefined });
  expect(await screen.findByText(/nothing was undone/)).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Close" }));
  await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
});
