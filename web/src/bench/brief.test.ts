// @vitest-environment node
import { describe, expect, it, vi } from "vitest";

vi.stubGlobal("window", { addEventListener: () => {} });
vi.stubGlobal("location", { pathname: "/" });

describe("sentences", async () => {
  const { factsOf, parts, shown } = await import("../study/sentences");
  it("fall into text and blanks, in order", () => {
    expect(parts("Let edges span from {smallest} to {largest}.")).toEqual([
      { text: "Let edges span from ", blank: false },
      { text: "smallest", blank: true },
      { text: " to ", blank: false },
      { text: "largest", blank: true },
      { text: ".", blank: false },
    ]);
    expect(parts("{where}")).toEqual([{ text: "where", blank: true }]);
    expect(parts("plain")).toEqual([{ text: "plain", blank: false }]);
  });
  it("may depend on the kind of model and on bodies that are open", () => {
    expect(factsOf(null)).toEqual({});
    const solid = { name: "duct", solid: true };
    expect(factsOf({ model: { kind: "cad" }, bodies: [solid] })).toEqual({
      kind: "cad",
      open: "no",
      layered: "no",
    });
    expect(factsOf({ bodies: [solid] }, { cells: 7 }).layered).toBe("yes");
    const vane = { name: "vane", solid: false };
    const facts = factsOf({ model: { kind: "cad" }, bodies: [solid, vane] });
    expect(shown({ text: "Keep {sheets}.", only: { open: ["yes"] } }, facts)).toBe(true);
  });
});
