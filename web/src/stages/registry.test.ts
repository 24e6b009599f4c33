import { describe, expect, it } from "vitest";
import { pageOf } from "./registry";

// the stages that the core has, in its order
const KEYS = ["geometry", "domain", "patches", "sizing", "surface", "layers", "volume", "case"];

describe("stages of the page", () => {
  it.each(KEYS)("%s has a folder of its own", (key) => {
    const page = pageOf(key);
    expect(page.key).toBe(key);
    // what is drawn is a stage up to this one, the last resort the part itself
    expect(page.draws.at(-1)).toBe("geometry");
    for (const drawn of page.draws)
      expect(KEYS.indexOf(drawn === "mesh" ? "volume" : drawn)).toBeLessThanOrEqual(
        KEYS.indexOf(key),
      );
  });
  it("shows a stage that it does not know without a folder", () => {
    const page = pageOf("survey");
    expect(page.key).toBe("survey");
    expect(page.draws).toContain("mesh");
    expect(page.tools).toEqual([]);
    expect(page.headline({} as never)).toBe("");
  });
});
