// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Refusal, sent, serving } from "../testing/server";
import { SignIn } from "./SignIn";

function shown(unguarded = "") {
  const client = new QueryClient();
  render(
    <QueryClientProvider client={client}>
      <SignIn unguarded={unguarded} />
    </QueryClientProvider>,
  );
  return client;
}

async function fill(name: string, password: string) {
  if (name) await userEvent.type(screen.getByLabelText("Name"), name);
  if (password) await userEvent.type(screen.getByLabelText("Password"), password);
  await userEvent.click(screen.getByRole("button", { name: "Sign in" }));
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("signing in", () => {
  it("sends name and password and keeps the session", async () => {
    const session = { username: "ada", upload_limit: 100 };
    const asked = serving({ "POST session": session });
    const client = shown();
    await fill("ada", "secret words");
    expect(sent(asked, "POST", "session")).toEqual([{ username: "ada", password: "secret words" }]);
    expect(client.getQueryData(["session"])).toEqual(session);
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("says in words why it did not work, and lets one try again", async () => {
    let tries = 0;
    serving({
      "POST session": () => {
        tries += 1;
        if (tries === 1) return new Refusal(400, "Name and password do not go together.");
        return { username: "ada", upload_limit: 1 };
      },
    });
    const client = shown();
    await fill("ada", "wrong");
    expect((await screen.findByRole("alert")).textContent).toContain("do not go together");
    await fill("", "er");
    expect(client.getQueryData(["session"])).toMatchObject({ username: "ada" });
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("asks for both before it sends anything", async () => {
    const asked = serving({});
    shown();
    await fill("ada", "");
    expect(asked).toEqual([]);
  });

  it("says before one signs in that the server keeps foreign files from nothing", () => {
    shown("This server's kernel has no rules.");
    expect(screen.getByRole("note").textContent).toContain("has no rules");
    cleanup();
    shown();
    expect(screen.queryByRole("note")).toBeNull();
  });

  it("tells when the server cannot be reached", async () => {
    vi.stubGlobal("fetch", async () => {
      throw new TypeError("no network");
    });
    shown();
    await fill("ada", "secret");
    expect((await screen.findByRole("alert")).textContent).toContain("cannot be reached");
  });
});
