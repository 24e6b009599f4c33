/** Folders of the page import in one direction: what stands further down may use what is above. */
import { expect, it } from "vitest";

const ORDER = [
  ...["api", "parts", "view", "study", "quality", "blanks", "stages"],
  ...["bench", "compare", "account", "shelf"],
];
const TEXTS = import.meta.glob<string>(["./*/**/*.{ts,tsx}", "!./testing/**", "!./**/*.test.*"], {
  query: "?raw",
  import: "default",
  eager: true,
});
const roomOf = (path: string) => path.split("/")[1]!;

it("knows every folder", () => {
  expect([...new Set(Object.keys(TEXTS).map(roomOf))].sort()).toEqual([...ORDER].sort());
});

it("imports from above alone", () => {
  const against = Object.entries(TEXTS).flatMap(([name, text]) => {
    const asked = [...text.matchAll(/(?:from|import\() ?"(\.[^"]+)"/g)].map(
      (m) => new URL(m[1]!, `http://page${name.slice(1)}`).pathname,
    );
    const below = (path: string) => ORDER.indexOf(roomOf(path)) > ORDER.indexOf(roomOf(name));
    return asked.filter(below).map((path) => `${name} → ${path}`);
  });
  expect(against).toEqual([]);
});
