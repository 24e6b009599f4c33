// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Job, Study } from "../api/client";
import { Refusal, sent, serving } from "../testing/server";
import { Shelf } from "./Shelf";

function study(id: number, change: Partial<Study> = {}): Study {
  return {
    id,
    name: `part ${id}`,
    file_name: `part${id}.step`,
    owner: "ada",
    created: "2026-11-01T10:00:00Z",
    updated: `2026-11-0${id}T10:00:00Z`,
    archived: false,
    role: "own",
    kept: 3_000_000,
    shared: 0,
    deleted: null,
    furthest: "geometry",
    cells: null,
    picture: null,
    variants: [{ id: 10 + id, name: "first" }],
    ...change,
  } as Study;
}

function job(change: Partial<Job> = {}): Job {
  return {
    id: "j1",
    study: null,
    variant: null,
    file_name: "pump.step",
    target: "geometry",
    state: "running",
    stage: "geometry",
    share: 0.5,
    seconds_left: 4,
    doing: "reading pump.step",
    problem: null,
    attempts: 1,
    created: "2026-11-26T10:00:00Z",
    ended: null,
    ...change,
  } as Job;
}

const SESSION = {
  username: "ada",
  upload_limit: 2 ** 20,
  keeper: false,
  demo: false,
  unguarded: "",
};
const STUDIES = [
  study(1, { name: "valve", cells: 90_000, furthest: "volume" }),
  study(2, { name: "Manifold", cells: 5_000 }),
  study(3, { name: "old duct", archived: true }),
];

function shelf(answers: Record<string, unknown> = {}) {
  const asked = serving({
    "GET studies": STUDIES,
    "GET jobs": [],
    "GET stages": [{ key: "volume", title: "Volume" }],
    ...answers,
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={client}>
      <Shelf session={SESSION} />
    </QueryClientProvider>,
  );
  return asked;
}

function names(): (string | null)[] {
  return screen.getAllByRole("link").map((a) => a.querySelector(".heading")?.textContent ?? null);
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  history.replaceState(null, "", "/");
});

describe("the shelf", () => {
  it("holds the studies, the last changed first, without the archived", async () => {
    shelf();
    await screen.findByText("valve");
    expect(names()).toEqual(["Manifold", "valve"]);
    expect(await screen.findByText("at Volume · 90,000 cells")).toBeTruthy();
  });

  it("sorts by name and by cells", async () => {
    shelf();
    await screen.findByText("valve");
    const order = screen.getByLabelText("sorted by");
    await userEvent.selectOptions(order, "name");
    expect(names()).toEqual(["Manifold", "valve"]);
    await userEvent.selectOptions(order, "cells");
    expect(names()).toEqual(["valve", "Manifold"]);
  });

  it("finds by the name of the study or of the file, taken as it is written", async () => {
    shelf();
    await screen.findByText("valve");
    const find = screen.getByLabelText("Search studies");
    await userEvent.type(find, "PART2");
    expect(names()).toEqual(["Manifold"]);
    await userEvent.clear(find);
    await userEvent.type(find, "[[?");
    expect(screen.queryAllByRole("link")).toEqual([]);
    expect(screen.getByText("No study matches “[?”.")).toBeTruthy();
  });

  it("keeps the archive apart, and brings studies back", async () => {
    const asked = shelf({ "PATCH studies/3": study(3) });
    await screen.findByText("valve");
    await userEvent.click(screen.getAllByRole("button", { name: "Archive" })[0]!);
    expect(names()).toEqual(["old duct"]);
    await userEvent.click(screen.getByRole("button", { name: "Bring back" }));
    await waitFor(() => expect(sent(asked, "PATCH", "studies/3")).toEqual([{ archived: false }]));
    // and looks again
    expect(asked.filter((a) => a.path === "studies").length).toBeGreaterThan(1);
  });

  it("puts a study out of sight, brings it back, and removes it for good", async () => {
    const gone = study(4, { name: "weir", deleted: new Date().toISOString(), kept: 2_500_000 });
    const asked = shelf({
      "GET studies?deleted=true": [gone],
      "GET room": { kept: 7e6, most: 5e10, jobs: 0, jobs_most: 30, days: 14 },
      "DELETE studies/1": null,
      "POST studies/4/deleted": study(4),
      "DELETE studies/4/deleted": new Refusal(404, "There is no such deleted study."),
    });
    await screen.findByText("valve");
    expect(await screen.findByText("7 MB of 50 GB")).toBeTruthy();
    const card = screen.getByText("valve").closest("li")!;
    await userEvent.click(within(card).getByRole("button", { name: "Delete" }));
    await waitFor(() => expect(sent(asked, "DELETE", "studies/1")).toHaveLength(1));
    await userEvent.click(screen.getByRole("button", { name: "Deleted" }));
    await screen.findByText("weir");
    // what is out of sight cannot be opened
    expect(screen.queryAllByRole("link")).toEqual([]);
    expect(screen.getByText(/kept for 14 days, 2.5 MB/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Bring back" }));
    await waitFor(() => expect(sent(asked, "POST", "studies/4/deleted")).toHaveLength(1));
    await userEvent.click(screen.getByRole("button", { name: "Remove for good" }));
    expect((await screen.findByRole("alert")).textContent).toContain("no such deleted study");
  });

  it("archives and deletes only what is one's own", async () => {
    const theirs = { owner: "ben", role: "look" as const };
    shelf({ "GET studies": [study(1, { name: "valve", ...theirs })] });
    const card = (await screen.findByText("valve")).closest("li")!;
    expect(within(card).getByText(/ben’s, to look at/)).toBeTruthy();
    expect(within(card).getByRole("button", { name: "Duplicate" })).toBeTruthy();
    for (const name of ["Archive", "Delete"])
      expect(within(card).queryByRole("button", { name })).toBeNull();
  });

  it("opens a study in place", async () => {
    shelf();
    await userEvent.click(await screen.findByText("valve"));
    expect(location.pathname).toBe("/study/1");
  });

  it("sends files that come together as one study", async () => {
    const asked = shelf({ "POST studies": job() });
    await screen.findByText("valve");
    const files = ["a.stl", "b.stl"].map((n) => new File(["solid"], n));
    await userEvent.upload(screen.getByLabelText("geometry files"), files);
    await waitFor(() => expect(sent(asked, "POST", "studies")).toHaveLength(1));
    const form = sent(asked, "POST", "studies")[0] as FormData;
    expect(form.getAll("file").map((f) => (f as File).name)).toEqual(["a.stl", "b.stl"]);
  });

  it("opens what was sent as soon as there is something to see of it", async () => {
    const begun = job({ study: 7, variant: 17 } as never);
    shelf({ "POST studies": begun, "GET jobs": [begun] });
    await screen.findByText("valve");
    await userEvent.upload(screen.getByLabelText("geometry files"), [new File(["x"], "a.stl")]);
    await waitFor(() => expect(location.pathname).toBe("/study/7/17/geometry"));
  });

  it("takes dropped files", async () => {
    const asked = shelf({ "POST studies": job() });
    const target = await screen.findByText("valve");
    fireEvent.drop(target, { dataTransfer: { files: [new File(["x"], "c.step")] } });
    await waitFor(() => expect(sent(asked, "POST", "studies")).toHaveLength(1));
  });

  it("does not send what is too large, and says what to do", async () => {
    const asked = shelf();
    await screen.findByText("valve");
    const large = new File([new Uint8Array(3 * 2 ** 20)], "huge.step");
    await userEvent.upload(screen.getByLabelText("geometry files"), large);
    const message = await screen.findByRole("alert");
    expect(message.textContent).toContain("huge.step: 3 MiB; the limit is 1 MiB");
    expect(sent(asked, "POST", "studies")).toEqual([]);
    await userEvent.click(within(message).getByText("Close"));
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("says why a file was refused", async () => {
    shelf({ "POST studies": new Refusal(400, "x.doc is of no kind that is read.") });
    await screen.findByText("valve");
    await userEvent.upload(screen.getByLabelText("geometry files"), new File(["x"], "x.doc"));
    expect((await screen.findByRole("alert")).textContent).toContain("of no kind that is read");
  });

  it("follows a file that is being read, and can stop it", async () => {
    let now = [] as Job[];
    const asked = shelf({
      "POST studies": () => {
        now = [job()];
        return now[0];
      },
      "GET jobs": () => now,
      "POST jobs/j1/cancel": {},
    });
    await screen.findByText("valve");
    await userEvent.upload(screen.getByLabelText("geometry files"), new File(["x"], "pump.step"));
    const status = await screen.findByRole("status");
    expect(status.textContent).toContain("Reading pump.step: reading pump.step, about 4 s left");
    expect(within(status).getByRole("progressbar").getAttribute("value")).toBe("0.5");
    await userEvent.click(within(status).getByText("Cancel"));
    expect(sent(asked, "POST", "jobs/j1/cancel")).toHaveLength(1);
  });

  it("opens a study as soon as its file has been read", async () => {
    let now = [] as Job[];
    shelf({
      "POST studies": () => {
        now = [job({ state: "done", study: 9, variant: 19 } as never)];
        return now[0];
      },
      "GET jobs": () => now,
    });
    await screen.findByText("valve");
    await userEvent.upload(screen.getByLabelText("geometry files"), new File(["x"], "pump.step"));
    await waitFor(() => expect(location.pathname).toBe("/study/9/19/geometry"));
  });

  it("tells of a study that is running", async () => {
    shelf({ "GET jobs": [job({ study: 1, variant: 11, share: 0.25 } as never)] });
    expect(await screen.findByText("running: 25 %")).toBeTruthy();
  });

  it("signs out", async () => {
    const asked = shelf({ "DELETE session": { username: null, upload_limit: 1 } });
    await screen.findByText("valve");
    await userEvent.click(screen.getByText("Sign out"));
    await waitFor(() => expect(sent(asked, "DELETE", "session")).toHaveLength(1));
  });
});
