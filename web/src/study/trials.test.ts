// @vitest-environment node
import { describe, expect, it } from "vitest";
import { listed, spread } from "./trials";

describe("lists of values", () => {
  it.each([
    ["1.1, 1.15, 1.25", [1.1, 1.15, 1.25]],
    ["1;2", [1, 2]],
    ["1,2,3", [1, 2, 3]],
    ["-1e-3, .5", [-0.001, 0.5]],
    ["2, 2, 3", [2, 3]],
  ])("%s", (text, values) => {
    expect(listed(text)).toEqual(values);
  });

  it.each(["1,2", "1.5", "", "a, b", "1,", "wall, vane", "2 * 3, 4"])("%s is none", (text) => {
    expect(listed(text)).toBeNull();
  });

  it("are found in a setting, whole or within rows", () => {
    expect(spread("4, 6")).toEqual({ field: "", values: [4, 6], settings: [4, 6] });
    const rows = [
      { patches: ["wall"], growth: 1.2 },
      { patches: ["a", "b"], growth: "1.1, 1.3" },
    ];
    const found = spread(rows)!;
    expect(found.field).toBe("growth");
    expect(found.settings).toEqual([
      [rows[0], { patches: ["a", "b"], growth: 1.1 }],
      [rows[0], { patches: ["a", "b"], growth: 1.3 }],
    ]);
    expect(rows[1]!.growth).toBe("1.1, 1.3");
    expect(spread(rows.slice(0, 1))).toBeNull();
    expect(spread(null)).toBeNull();
  });
});
