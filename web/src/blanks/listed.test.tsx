// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { BlankDescription } from "../api/client";
import { onBench } from "../testing/bench";
import { ListedBlank, namesIn } from "./ListedBlank";
import { inWords, SeveralBlank } from "./SeveralBlank";

const BLANK = {
  name: "expected",
  type: "listed",
  label: "names that the solver's case expects",
  rule: "",
  unit: "",
  choices: [
    ["cgns", "mesh.cgns"],
    ["vtu", "mesh.vtu"],
  ],
} as unknown as BlankDescription;

describe("a list of names", () => {
  it("is read however it is written", () => {
    expect(namesIn("inlet\noutlet # the lower\n\nhull")).toEqual(["inlet", "outlet", "hull"]);
    expect(namesIn("a, b;c  'd e' \"f\" (g)")).toEqual(["a", "b", "c", "d e", "f", "g"]);
    expect(namesIn("a a a")).toEqual(["a"]);
    expect(namesIn(" \n# nothing\n")).toEqual([]);
  });

  it("is typed, taken, and dropped in as a file", async () => {
    const change = vi.fn();
    onBench(
      <ListedBlank blank={BLANK} value={["inlet"]} changed={true} wrong={false} change={change} />,
    );
    fireEvent.click(screen.getByRole("button", { name: /expects: inlet/ }));
    const box = screen.getByRole("textbox");
    fireEvent.change(box, { target: { value: "feed\ndrain" } });
    fireEvent.click(screen.getByRole("button", { name: "Take 2 names" }));
    expect(change).toHaveBeenLastCalledWith(["feed", "drain"]);
    fireEvent.click(screen.getByRole("button", { name: /expects: inlet/ }));
    const file = (text: string) => ({
      dataTransfer: { files: [new File([text], "names.txt")] },
    });
    fireEvent.drop(screen.getByRole("textbox"), file("# empty"));
    await screen.findByText(/names.txt holds no names/);
    expect(change).toHaveBeenCalledTimes(1);
    fireEvent.drop(screen.getByRole("textbox"), file("north, south"));
    await waitFor(() => expect(change).toHaveBeenLastCalledWith(["north", "south"]));
  });

  it("is left as it was", () => {
    const change = vi.fn();
    onBench(<ListedBlank blank={BLANK} value={[]} changed={false} wrong={false} change={change} />);
    fireEvent.click(screen.getByRole("button", { name: /no list/ }));
    fireEvent.click(screen.getByRole("button", { name: "Leave it" }));
    expect(screen.queryByRole("textbox")).toBeNull();
    expect(change).not.toHaveBeenCalled();
  });
});

describe("several of some", () => {
  it("are told in a row of words", () => {
    expect(inWords([])).toBe("");
    expect(inWords(["a"])).toBe("a");
    expect(inWords(["a", "b", "c"])).toBe("a, b and c");
  });

  it("are added and taken away, but for the last", async () => {
    const change = vi.fn();
    onBench(
      <SeveralBlank blank={BLANK} value={["vtu"]} changed={false} wrong={false} change={change} />,
    );
    fireEvent.click(screen.getByRole("button", { name: /mesh.vtu/ }));
    fireEvent.click(await screen.findByRole("option", { name: "mesh.cgns" }));
    expect(change).toHaveBeenLastCalledWith(["vtu", "cgns"]);
    fireEvent.click(screen.getByRole("option", { name: /mesh.vtu/ }));
    expect(change).toHaveBeenCalledTimes(1);
  });
});
