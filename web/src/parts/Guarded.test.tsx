// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Guarded } from "./Guarded";

function Part({ broken }: { broken: () => boolean }) {
  if (broken()) throw new Error("a name is missing");
  return <p>drawn</p>;
}

describe("a part that fails", () => {
  beforeEach(() => {
    vi.spyOn(console, "error").mockImplementation(() => {});
  });
  afterEach(cleanup);

  it("says so in its place and leaves the rest", () => {
    render(
      <>
        <Guarded name="The ledger" again={[1]}>
          <Part broken={() => true} />
        </Guarded>
        <p>the model</p>
      </>,
    );
    expect(screen.getByRole("alert").textContent).toContain("The ledger could not be drawn.");
    expect(screen.getByRole("alert").textContent).toContain("a name is missing");
    expect(screen.getByText("the model")).toBeTruthy();
  });

  it("is drawn again on request", async () => {
    let broken = true;
    render(
      <Guarded name="The strip" again={[1]}>
        <Part broken={() => broken} />
      </Guarded>,
    );
    broken = false;
    await userEvent.click(screen.getByRole("button", { name: "Draw it again" }));
    expect(screen.getByText("drawn")).toBeTruthy();
  });

  it("is drawn again when what it depends on changes", () => {
    let broken = true;
    const shown = (key: number) => (
      <Guarded name="The strip" again={[key]}>
        <Part broken={() => broken} />
      </Guarded>
    );
    const { rerender } = render(shown(1));
    broken = false;
    rerender(shown(1));
    expect(screen.queryByText("drawn")).toBeNull();
    rerender(shown(2));
    expect(screen.getByText("drawn")).toBeTruthy();
  });
});
