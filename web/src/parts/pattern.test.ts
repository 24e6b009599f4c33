import { describe, expect, it } from "vitest";
import { matches, pattern } from "./pattern";

describe("name patterns", () => {
  it("find a part of a name, or the whole with a star", () => {
    expect(matches("wall_body", "body")).toBe(true);
    expect(matches("wall_body", "BODY")).toBe(true);
    expect(matches("wall_body", "wall*")).toBe(true);
    expect(matches("a_wall_body", "wall*")).toBe(false);
    expect(matches("anything", "")).toBe(true);
    expect(pattern("wall_*").exec("wall_throat")?.[1]).toBe("throat");
  });
  it("take every other sign for itself", () => {
    for (const sign of "?[](){}.+^$|\\") {
      expect(matches("wall", sign)).toBe(false);
      expect(matches(`wa${sign}ll`, sign)).toBe(true);
      expect(matches(`wa${sign}ll`, `wa${sign}*`)).toBe(true);
    }
  });
});
