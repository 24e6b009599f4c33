// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { variantWith } from "../testing/bench";
import { Refusal, sent, serving } from "../testing/server";
import { ApiError, get } from "./client";
import { useEvents, useJobs, useRun, useSettings, useUndo, useVariant } from "./queries";
import type { Variant } from "./reports";

function using<T>(hook: () => T) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  client.setQueryData(["variant", 5], variantWith());
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  return { client, ...renderHook(hook, { wrapper }) };
}

function largest(client: QueryClient): unknown {
  const variant = client.getQueryData<Variant>(["variant", 5])!;
  return variant.stages.find((s) => s.stage === "sizing")?.settings?.largest;
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("settings", () => {
  it("are shown at once, then as the server has them", async () => {
    const answer = variantWith({ sizing: { settings: { smallest: 1, largest: 3.5 } } });
    serving({ "PATCH variants/5/settings": answer });
    const { client, result } = using(() => useSettings(5));
    act(() => result.current.mutate({ sizing: { largest: 3 } }));
    await waitFor(() => expect(largest(client)).toBe(3));
    await waitFor(() => expect(largest(client)).toBe(3.5));
  });

  it("are taken back when the server refuses them", async () => {
    serving({ "PATCH variants/5/settings": new Refusal(400, "too small") });
    const { client, result } = using(() => useSettings(5));
    act(() => result.current.mutate({ sizing: { largest: -1 } }));
    await waitFor(() => expect(result.current.isError).toBe(true));
    expect(largest(client)).toBe(2);
  });

  const stale = (version: number, blanks: string[]) =>
    new Refusal(409, "Meanwhile", { code: "stale", stale: { version, blanks, by: ["ben"] } });

  it("go on top of what others changed elsewhere", async () => {
    let asks = 0;
    const answer = variantWith({ sizing: { settings: { smallest: 1, largest: 3 } } });
    const asked = serving({
      "PATCH variants/5/settings": () => (asks++ ? answer : stale(8, ["sizing.smallest"])),
    });
    const { client, result } = using(() => useSettings(5));
    act(() => result.current.mutate({ sizing: { largest: 3 } }));
    await waitFor(() => expect(result.current.isSuccess).toBe(true));
    expect(asked.map((a) => a.version)).toEqual(['"7"', '"8"']);
    expect(client.getQueryData(["clash", 5])).toBeUndefined();
  });

  it("are taken back where others changed the same, and the clash is told", async () => {
    const asked = serving({ "PATCH variants/5/settings": stale(8, ["sizing.largest"]) });
    const { client, result } = using(() => useSettings(5));
    act(() => result.current.mutate({ sizing: { largest: 3 } }));
    await waitFor(() => expect(result.current.isError).toBe(true));
    expect(asked).toHaveLength(1);
    expect(largest(client)).toBe(2);
    expect(client.getQueryData(["clash", 5])).toMatchObject({
      stale: { by: ["ben"], version: 8 },
      change: { sizing: { largest: 3 } },
    });
  });

  it("have the rows of others in them where these are others", async () => {
    const row = (name: string, size: number) => ({ name, size });
    const having = (regions: object[], version: number) => ({
      ...variantWith({ sizing: { settings: { regions } } }),
      version,
    });
    let asks = 0;
    const asked = serving({
      "PATCH variants/5/settings": (body: unknown) =>
        asks++ ? { ...variantWith(), ...(body as object) } : stale(8, ["sizing.regions"]),
      "GET variants/5": having([row("box", 1), row("bend", 5)], 8),
    });
    const { client, result } = using(() => useSettings(5));
    client.setQueryData(["variant", 5], having([row("box", 1), row("bend", 2)], 7));
    act(() => result.current.mutate({ sizing: { regions: [row("box", 3), row("bend", 2)] } }));
    await waitFor(() => expect(result.current.isSuccess).toBe(true));
    const writes = asked.filter((a) => a.version);
    expect(writes.map((a) => a.version)).toEqual(['"7"', '"8"']);
    expect(writes[1]?.body).toEqual({ sizing: { regions: [row("box", 3), row("bend", 5)] } });
    expect(client.getQueryData(["clash", 5])).toBeUndefined();
  });

  it("carry the version that the change before them made", async () => {
    let version = 7;
    const asked = serving({
      "PATCH variants/5/settings": () => ({ ...variantWith(), version: ++version }),
    });
    const { result } = using(() => useSettings(5));
    act(() => {
      result.current.mutate({ sizing: { largest: 3 } });
      result.current.mutate({ sizing: { smallest: 2 } });
    });
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked.map((a) => a.version)).toEqual(['"7"', '"8"']);
  });

  it("that are refused leave the version that a change before them made", async () => {
    let asks = 0;
    const asked = serving({
      "PATCH variants/5/settings": () =>
        ++asks === 2 ? new Refusal(400, "too small") : { ...variantWith(), version: 7 + asks },
    });
    const { result } = using(() => useSettings(5));
    // the second is made, and remembers what was before it, while the first is on its way
    act(() => {
      result.current.mutate({ sizing: { largest: 3 } });
      result.current.mutate({ sizing: { smallest: -1 } });
    });
    await waitFor(() => expect(asked).toHaveLength(2));
    await waitFor(() => expect(result.current.isError).toBe(true));
    act(() => result.current.mutate({ sizing: { largest: 4 } }));
    await waitFor(() => expect(asked).toHaveLength(3));
    expect(asked.map((a) => a.version)).toEqual(['"7"', '"8"', '"8"']);
  });

  it("go back to what was derived when they are null", async () => {
    let hold = () => {};
    const waiting = new Promise<void>((resolve) => {
      hold = resolve;
    });
    vi.stubGlobal("fetch", async () => {
      await waiting;
      return Response.json(variantWith());
    });
    const { client, result } = using(() => useSettings(5));
    client.setQueryData(
      ["variant", 5],
      variantWith({ sizing: { settings: { smallest: 1, largest: 9 } } }),
    );
    act(() => result.current.mutate({ sizing: { largest: null } }));
    await waitFor(() => expect(largest(client)).toBe(2));
    hold();
    await waitFor(() => expect(result.current.isSuccess).toBe(true));
  });

  it("are sent one after the other, and only the last answer is shown", async () => {
    const order: unknown[] = [];
    vi.stubGlobal("fetch", async (_: string, init: RequestInit) => {
      const { sizing } = JSON.parse(String(init.body));
      const change = sizing.largest;
      order.push(`asked ${change}`);
      await new Promise((resolve) => setTimeout(resolve, 20));
      order.push(`answered ${change}`);
      return Response.json(variantWith({ sizing: { settings: { largest: change } } }));
    });
    const { client, result } = using(() => useSettings(5));
    const shown: unknown[] = [];
    client.getQueryCache().subscribe(() => shown.push(largest(client)));
    act(() => {
      result.current.mutate({ sizing: { largest: 3 } });
      result.current.mutate({ sizing: { largest: 4 } });
    });
    await waitFor(() => expect(order).toHaveLength(4));
    expect(order).toEqual(["asked 3", "answered 3", "asked 4", "answered 4"]);
    await waitFor(() => expect(largest(client)).toBe(4));
    // the first answer, which knows nothing of the second change, was never shown after it
    const since = shown.slice(shown.indexOf(4));
    expect(since.every((v) => v === 4)).toBe(true);
  });

  it("stay while an answer from before them comes in", async () => {
    let answer = () => {};
    const late = new Promise<void>((resolve) => {
      answer = resolve;
    });
    let saved = () => {};
    const saving = new Promise<void>((resolve) => {
      saved = resolve;
    });
    vi.stubGlobal("fetch", async (_: string, init: RequestInit = {}) => {
      await (init.method === "PATCH" ? saving : late);
      return Response.json(
        variantWith({ sizing: { settings: { smallest: 1, largest: init.body ? 3 : 2 } } }),
      );
    });
    const { client, result } = using(() => ({ told: useVariant(5), settings: useSettings(5) }));
    // an answer on its way when one types, and one that is asked for while the change waits
    act(() => {
      client.invalidateQueries({ queryKey: ["variant", 5] });
    });
    act(() => result.current.settings.mutate({ sizing: { largest: 3 } }));
    await waitFor(() => expect(largest(client)).toBe(3));
    act(() => {
      client.invalidateQueries({ queryKey: ["variant", 5] });
    });
    await act(async () => {
      answer();
      await new Promise((resolve) => setTimeout(resolve, 30));
    });
    expect(largest(client)).toBe(3);
    await act(async () => saved());
    await waitFor(() => expect(result.current.settings.isSuccess).toBe(true));
    expect(largest(client)).toBe(3);
  });

  it("are not taken back by an answer that comes after they are saved", async () => {
    let answer = () => {};
    const late = new Promise<void>((resolve) => {
      answer = resolve;
    });
    vi.stubGlobal("fetch", async (_: string, init: RequestInit = {}) => {
      if (init.method !== "PATCH") await late;
      return Response.json(
        variantWith({ sizing: { settings: { smallest: 1, largest: init.body ? 3 : 2 } } }),
      );
    });
    const { client, result } = using(() => ({ told: useVariant(5), settings: useSettings(5) }));
    act(() => {
      client.invalidateQueries({ queryKey: ["variant", 5] });
    });
    act(() => result.current.settings.mutate({ sizing: { largest: 3 } }));
    await waitFor(() => expect(result.current.settings.isSuccess).toBe(true));
    await act(async () => {
      answer();
      await new Promise((resolve) => setTimeout(resolve, 30));
    });
    expect(largest(client)).toBe(3);
  });

  it("are not taken back by an answer that was read before they were saved", async () => {
    let [save, answer] = [() => {}, () => {}];
    const saved = new Promise<void>((resolve) => {
      save = resolve;
    });
    const late = new Promise<void>((resolve) => {
      answer = resolve;
    });
    let reads = 0;
    vi.stubGlobal("fetch", async (_: string, init: RequestInit = {}) => {
      const reading = init.method !== "PATCH";
      // the second reading, begun while the change is on its way, sees what was before it
      const old = reading && ++reads <= 2;
      if (reading && reads === 2) await late;
      if (!reading) await saved;
      return Response.json(
        variantWith({ sizing: { settings: { smallest: 1, largest: old ? 2 : 3 } } }),
      );
    });
    const { client, result } = using(() => ({ told: useVariant(5), settings: useSettings(5) }));
    await waitFor(() => expect(reads).toBe(1));
    act(() => result.current.settings.mutate({ sizing: { largest: 3 } }));
    act(() => {
      client.invalidateQueries({ queryKey: ["variant", 5] });
    });
    await waitFor(() => expect(reads).toBe(2));
    await act(async () => save());
    await waitFor(() => expect(result.current.settings.isSuccess).toBe(true));
    await act(async () => {
      answer();
      await new Promise((resolve) => setTimeout(resolve, 30));
    });
    expect(largest(client)).toBe(3);
  });

  it("are stepped back through the server", async () => {
    const before = variantWith({ sizing: { settings: { largest: 7 } } });
    const asked = serving({ "POST variants/5/undo": before });
    const { client, result } = using(() => useUndo(5, "undo"));
    act(() => result.current.mutate());
    await waitFor(() => expect(largest(client)).toBe(7));
    expect(sent(asked, "POST", "variants/5/undo")).toHaveLength(1);
  });
});

describe("the list of jobs", () => {
  it("keeps what an event told while an older answer was on its way", async () => {
    const running = { id: "j", created: "1", updated: "2026-11-26T10:00:01Z", state: "running" };
    const failed = { ...running, updated: "2026-11-26T10:00:02Z", state: "failed" };
    let answer = () => {};
    const waiting = new Promise<void>((resolve) => {
      answer = resolve;
    });
    vi.stubGlobal("fetch", async () => {
      await waiting;
      return Response.json([running, { ...running, id: "k" }]);
    });
    const { client, result } = using(() => useJobs());
    act(() => {
      client.setQueryData(["jobs"], [failed]);
    });
    answer();
    await waitFor(() => expect(result.current.data).toHaveLength(2));
    expect(result.current.data?.map((j) => j.state)).toEqual(["failed", "running"]);
  });
});

describe("a run", () => {
  it("is among the jobs as soon as it is queued, and once", async () => {
    const job = { id: "j", created: "2" };
    const asked = serving({ "POST variants/5/runs": job });
    const { client, result } = using(() => useRun(5));
    client.setQueryData(["jobs"], [{ id: "i", created: "1" }]);
    await act(() => result.current.mutateAsync({ target: "volume", live: false }));
    await act(() => result.current.mutateAsync({ target: "volume", live: false }));
    expect(client.getQueryData<{ id: string }[]>(["jobs"])!.map((j) => j.id)).toEqual(["i", "j"]);
    expect(sent(asked, "POST", "variants/5/runs")[0]).toEqual({ target: "volume", live: false });
  });
});

describe("events", () => {
  class Source extends EventTarget {
    static last: Source | null = null;
    closed = false;
    readonly url: string;
    constructor(url: string) {
      super();
      this.url = url;
      Source.last = this;
    }
    close() {
      this.closed = true;
    }
    tell(what: unknown, kind = "job") {
      this.dispatchEvent(new MessageEvent(kind, { data: JSON.stringify(what) }));
    }
  }

  it("keep the jobs fresh, and fetch again what a job may have changed", () => {
    vi.stubGlobal("EventSource", Source);
    const { client, unmount } = using(() => useEvents(true));
    const again = vi.spyOn(client, "invalidateQueries");
    const job = { id: "j", created: "1", variant: 5, stage: "surface", state: "running", share: 0 };
    act(() => Source.last!.tell(job));
    expect(client.getQueryData(["jobs"])).toEqual([job]);
    expect(again).toHaveBeenCalledWith({ queryKey: ["variant", 5] });
    again.mockClear();
    // progress within a stage changes nothing else
    act(() => Source.last!.tell({ ...job, share: 0.5 }));
    expect(client.getQueryData<{ share: number }[]>(["jobs"])![0]!.share).toBe(0.5);
    expect(again).not.toHaveBeenCalled();
    act(() => Source.last!.tell({ ...job, state: "done" }));
    expect(again).toHaveBeenCalledWith({ queryKey: ["studies"] });
    unmount();
    expect(Source.last!.closed).toBe(true);
  });

  it("have a variant fetched again that others changed, and none that one knows", () => {
    vi.stubGlobal("EventSource", Source);
    const { client } = using(() => useEvents(true));
    const again = vi.spyOn(client, "invalidateQueries");
    act(() => Source.last!.tell({ id: 5, version: 7 }, "variant"));
    act(() => Source.last!.tell({ id: 6, version: 9 }, "variant"));
    expect(again).not.toHaveBeenCalled();
    act(() => Source.last!.tell({ id: 5, version: 8 }, "variant"));
    expect(again).toHaveBeenCalledWith({ queryKey: ["variant", 5] });
  });

  it("are not asked for before one has signed in", () => {
    Source.last = null;
    vi.stubGlobal("EventSource", Source);
    using(() => useEvents(false));
    expect(Source.last).toBeNull();
  });
});

describe("a refusal", () => {
  it("carries the problem in words, whatever the answer's body is", async () => {
    serving({ "GET lists": new Refusal(403, "Sign in first.") });
    await expect(get("lists")).rejects.toMatchObject({ status: 403, message: "Sign in first." });
    vi.stubGlobal("fetch", async () => new Response("<html>", { status: 502 }));
    const error = await get<never>("lists").catch((e) => e as ApiError);
    expect(error).toBeInstanceOf(ApiError);
    expect(error.message).toBe("The server answered 502. Try again.");
  });
});
