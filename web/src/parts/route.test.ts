// @vitest-environment node
import { describe, expect, it, vi } from "vitest";

vi.stubGlobal("window", { addEventListener: () => {} });
vi.stubGlobal("location", { pathname: "/" });
vi.stubGlobal("history", { pushState: () => {}, replaceState: () => {} });

describe("places", async () => {
  const { pathOf, readPlace } = await import("./route");
  it("reads the shelf, a study and a stage", () => {
    expect(readPlace("/")).toEqual({ study: null, variant: null, stage: "geometry" });
    expect(readPlace("/study/7")).toEqual({ study: 7, variant: null, stage: "geometry" });
    expect(readPlace("/study/7/9/volume")).toEqual({ study: 7, variant: 9, stage: "volume" });
  });
  it("takes what it does not know for the shelf", () => {
    expect(readPlace("/somewhere/else").study).toBeNull();
    expect(readPlace("/study/abc").study).toBeNull();
  });
  it("reads an account and an invitation", () => {
    expect(readPlace("/account").account).toBe(true);
    expect(readPlace("/join/a-B_9").join).toBe("a-B_9");
    expect(readPlace("/join/a/b").join).toBeUndefined();
  });
  it("writes what it reads", () => {
    for (const path of ["/", "/study/3", "/study/3/4/surface", "/account", "/join/a-B_9"])
      expect(pathOf(readPlace(path))).toBe(path);
  });
});
