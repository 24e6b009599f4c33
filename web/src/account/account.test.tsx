// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Refusal, sent, serving } from "../testing/server";
import { Account, browserInWords } from "./Account";
import { Join } from "./Join";

const SESSION = { username: "kay", upload_limit: 1, keeper: false, demo: false, unguarded: "" };
const NOW = new Date().toISOString();
const browser = (number: string, own: boolean) => ({
  number,
  own,
  address: "10.0.0.1",
  browser: "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/140.0",
  begun: NOW,
  seen: NOW,
});
const EVENTS = [
  {
    at: NOW,
    kind: "refused",
    words: "a wrong name or password",
    who: "kay",
    about: "",
    address: "",
  },
];

function showing(page: ReactElement, answers: Record<string, unknown> = {}) {
  const asked = serving({
    "GET account/browsers": [browser("a", true), browser("b", false)],
    "GET account/log": EVENTS,
    "GET accounts": [
      { id: 1, name: "kay", keeper: true, open: true, seen: NOW },
      { id: 2, name: "nell", keeper: false, open: true, seen: null },
    ],
    "GET invitations": [],
    ...answers,
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(<QueryClientProvider client={client}>{page}</QueryClientProvider>);
  return { asked, client };
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  history.replaceState(null, "", "/");
});

async function typed(words: Record<string, string>) {
  for (const [label, value] of Object.entries(words))
    await userEvent.type(screen.getByLabelText(label), value);
}

describe("an account", () => {
  it("takes a new password that was typed twice alike", async () => {
    const { asked } = showing(<Account session={SESSION} />, { "POST account/password": SESSION });
    await typed({
      "Password now": "old",
      "New password": "granite",
      "New password again": "granit",
    });
    await userEvent.click(screen.getByRole("button", { name: "Change it" }));
    expect(screen.getByRole("alert").textContent).toContain("differ");
    expect(sent(asked, "POST", "account/password")).toEqual([]);
    await typed({ "New password again": "e" });
    await userEvent.click(screen.getByRole("button", { name: "Change it" }));
    expect(await screen.findByText(/Your other browsers are signed out/)).toBeTruthy();
    expect(sent(asked, "POST", "account/password")).toEqual([{ old: "old", new: "granite" }]);
  });

  it("says why a password is refused", async () => {
    showing(<Account session={SESSION} />, {
      "POST account/password": new Refusal(400, "This password is too common."),
    });
    await typed({ "Password now": "old", "New password": "a", "New password again": "a" });
    await userEvent.click(screen.getByRole("button", { name: "Change it" }));
    expect((await screen.findByRole("alert")).textContent).toContain("too common");
  });

  it("signs out one of its browsers, and not the one at hand", async () => {
    const { asked } = showing(<Account session={SESSION} />, {
      "DELETE account/browsers/b": [browser("a", true)],
    });
    const rows = await screen.findAllByText("Firefox 140 on Linux");
    expect(rows).toHaveLength(2);
    await userEvent.click(screen.getByRole("button", { name: "Sign out" }));
    await waitFor(() => expect(screen.getAllByText("Firefox 140 on Linux")).toHaveLength(1));
    expect(sent(asked, "DELETE", "account/browsers/b")).toHaveLength(1);
    expect(screen.queryByRole("button", { name: /everywhere else/ })).toBeNull();
  });

  it("keeps nobody's accounts unless it may, and shows its own lines alone", async () => {
    const { asked } = showing(<Account session={SESSION} />);
    expect(await screen.findByText(/a wrong name or password/)).toBeTruthy();
    expect(screen.queryByText("Invitations")).toBeNull();
    expect(screen.queryByRole("button", { name: "of all accounts" })).toBeNull();
    expect(asked.some((a) => a.path === "accounts")).toBe(false);
  });

  it("has no password to change in the demo", () => {
    showing(<Account session={{ ...SESSION, username: "demo", demo: true }} />);
    expect(screen.queryByLabelText("Password now")).toBeNull();
  });
});

describe("who keeps the accounts", () => {
  const keeper = <Account session={{ ...SESSION, keeper: true }} />;
  const made = {
    id: 5,
    note: "Nell",
    keeper: false,
    account: null,
    by: "kay",
    until: NOW,
    secret: "s3cret",
  };

  it("invites, and is shown the link once", async () => {
    const { asked } = showing(keeper, { "POST invitations": made });
    await typed({ "for whom, a note": "Nell" });
    await userEvent.click(screen.getByRole("button", { name: "Invite" }));
    const link = (await screen.findByLabelText("Link of the invitation")) as HTMLInputElement;
    expect(link.value).toMatch(/\/join\/s3cret$/);
    expect(sent(asked, "POST", "invitations")).toEqual([{ note: "Nell", keeper: false }]);
  });

  it("closes an account and makes a link for a new password, but not for its own", async () => {
    const { asked } = showing(keeper, {
      "PATCH accounts/2": [],
      "POST invitations": { ...made, account: "nell" },
    });
    const row = (await screen.findByText("nell")).closest("tr")!;
    await userEvent.click(within(row).getByRole("button", { name: "Close" }));
    await userEvent.click(within(row).getByRole("button", { name: "New password" }));
    expect(sent(asked, "PATCH", "accounts/2")).toEqual([{ open: false }]);
    expect(sent(asked, "POST", "invitations")).toEqual([{ account: 2 }]);
    const own = screen
      .getAllByText("kay")
      .find((e) => e.closest("tr"))!
      .closest("tr")!;
    for (const button of within(own).getAllByRole("button"))
      expect((button as HTMLButtonElement).disabled).toBe(true);
  });

  it("may see what happened to all", async () => {
    const { asked } = showing(keeper);
    await userEvent.click(await screen.findByRole("button", { name: "of all accounts" }));
    await waitFor(() => expect(asked.at(-1)!.path).toBe("account/log?all=true"));
  });
});

describe("an invitation", () => {
  it("makes an account, and opens the shelf", async () => {
    const { asked, client } = showing(<Join secret="abc" />, {
      "GET join/abc": { account: null, by: "kay" },
      "POST join/abc": { ...SESSION, username: "nell" },
    });
    expect(await screen.findByText(/kay invites you/)).toBeTruthy();
    await typed({ Name: "nell", Password: "granite", "Password again": "granite" });
    await userEvent.click(screen.getByRole("button", { name: "Join" }));
    await waitFor(() =>
      expect(client.getQueryData(["session"])).toMatchObject({ username: "nell" }),
    );
    expect(sent(asked, "POST", "join/abc")).toEqual([{ username: "nell", password: "granite" }]);
    expect(location.pathname).toBe("/");
  });

  it("sets a password for an account that there is", async () => {
    showing(<Join secret="abc" />, { "GET join/abc": { account: "nell", by: "kay" } });
    expect(await screen.findByText("A new password for nell.")).toBeTruthy();
    expect(screen.queryByLabelText("Name")).toBeNull();
  });

  it("says that it opens nothing any more", async () => {
    showing(<Join secret="abc" />, { "GET join/abc": new Refusal(404, "This opens nothing.") });
    expect((await screen.findByRole("alert")).textContent).toBe("This opens nothing.");
  });
});

it("says a browser in words", () => {
  const agent = "Mozilla/5.0 (Windows NT 10.0) AppleWebKit/5 (KHTML) Chrome/150.0.0.0 Safari/5";
  expect(browserInWords(agent)).toBe("Chrome 150 on Windows");
  expect(browserInWords(`${agent} Edg/150.0`)).toBe("Edge 150 on Windows");
  expect(browserInWords("curl/8")).toBe("curl/8");
  expect(browserInWords("")).toBe("unknown");
});
