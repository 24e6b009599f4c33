// @vitest-environment jsdom
import { afterEach, describe, expect, it, vi } from "vitest";
import { rgb } from "./palette";
import { DARK_RAMP, firstTheme, followTheme, rampOf, useTheme } from "./theme";

const lightness = (hex: string) => {
  const [r, g, b] = rgb(hex);
  return 0.2126 * r ** 2.2 + 0.7152 * g ** 2.2 + 0.0722 * b ** 2.2;
};

afterEach(() => {
  localStorage.clear();
  vi.unstubAllGlobals();
});

describe("the theme", () => {
  it("is the one chosen before, else the system's", () => {
    vi.stubGlobal("matchMedia", () => ({ matches: true }));
    expect(firstTheme()).toBe("dark");
    localStorage.setItem("intaglio theme", "light");
    expect(firstTheme()).toBe("light");
    localStorage.setItem("intaglio theme", "mauve");
    expect(firstTheme()).toBe("dark");
  });

  it("is told to the page, and kept", () => {
    const root = document.createElement("html");
    followTheme(root);
    useTheme.getState().setTheme("dark");
    expect(root.dataset.theme).toBe("dark");
    expect(firstTheme()).toBe("dark");
    useTheme.getState().setTheme("light");
    expect(root.dataset.theme).toBe("light");
  });

  it("gets brighter along the dark ramp, so that the worst shines", () => {
    const light = rampOf("dark").map(lightness);
    for (let k = 1; k < light.length; k++) expect(light[k]!).toBeGreaterThan(light[k - 1]!);
    expect(rampOf("light")).not.toBe(DARK_RAMP);
  });
});
