// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";
import type { Study } from "../api/client";
import { Refusal, sent, serving } from "../testing/server";
import { Sharing } from "./Sharing";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const BEN = { id: 4, name: "ben", works: false };

async function open(role: string, answers: Record<string, unknown> = {}, name = "ada") {
  const asked = serving({
    "GET session": { username: name, upload_limit: 1, keeper: false, demo: false, unguarded: "" },
    "GET studies/7/shares": [BEN],
    ...answers,
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={client}>
      <Sharing study={{ id: 7, owner: "ada", role } as Study} />
    </QueryClientProvider>,
  );
  await userEvent.click(screen.getByRole("button"));
  await screen.findByText("ben");
  return asked;
}

it("shares with an account to work, and says who there is none of", async () => {
  const both = [BEN, { id: 5, name: "cleo", works: true }];
  let answer: unknown = new Refusal(400, "There is no account called cleo.");
  const asked = await open("own", { "POST studies/7/shares": () => answer });
  await userEvent.type(screen.getByLabelText("Name of the account"), "cleo");
  await userEvent.selectOptions(screen.getByLabelText("What they may do"), "work");
  await userEvent.click(screen.getByRole("button", { name: "Share" }));
  expect((await screen.findByRole("alert")).textContent).toContain("no account called cleo");
  answer = both;
  await userEvent.click(screen.getByRole("button", { name: "Share" }));
  expect(await screen.findByText("cleo")).toBeTruthy();
  expect(screen.queryByRole("alert")).toBeNull();
  expect(sent(asked, "POST", "studies/7/shares")).toEqual([
    { name: "cleo", works: true },
    { name: "cleo", works: true },
  ]);
});

it("lets work who looked, and takes a share back", async () => {
  const asked = await open("own", {
    "POST studies/7/shares": [{ ...BEN, works: true }],
    "DELETE studies/7/shares/4": [],
  });
  await userEvent.click(screen.getByRole("button", { name: "Let work" }));
  expect(await screen.findByText("works on it")).toBeTruthy();
  expect(sent(asked, "POST", "studies/7/shares")).toEqual([{ name: "ben", works: true }]);
  await userEvent.click(screen.getByRole("button", { name: "Take back" }));
  await waitFor(() => expect(screen.queryByText("ben")).toBeNull());
});

it("lets one leave, and changes nothing else of another's study", async () => {
  await open("look", { "DELETE studies/7/shares/4": [] }, "ben");
  expect(screen.getByText("ada’s, to look at")).toBeTruthy();
  expect(screen.getByText(/duplicate it on the shelf/)).toBeTruthy();
  for (const name of ["Share", "Take back", "Let work"])
    expect(screen.queryByRole("button", { name })).toBeNull();
  await userEvent.click(screen.getByRole("button", { name: "Leave" }));
  await waitFor(() => expect(screen.queryByText("ben")).toBeNull());
});
