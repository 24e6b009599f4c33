/** Rows with one key are drawn twice or dropped as React pleases; it only warns of it. */
import { configure } from "@testing-library/dom";
import { afterEach, beforeEach, expect, vi } from "vitest";

// the simulated window has none, and lists that open look for their size
globalThis.ResizeObserver ??= class {
  observe() {}
  unobserve() {}
  disconnect() {}
};

// what is awaited comes when the machine has time for it
configure({ asyncUtilTimeout: 100_000 });

let told: ReturnType<typeof vi.spyOn>;

beforeEach(() => {
  told = vi.spyOn(console, "error");
});

afterEach(() => {
  const twice = told.mock.calls.filter((words: unknown[]) =>
    /same key|unique "key"/.test(String(words[0])),
  );
  told.mockRestore();
  expect(twice).toEqual([]);
});
