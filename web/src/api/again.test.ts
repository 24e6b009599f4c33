import { expect, test } from "vitest";
import { again } from "./again";
import { ApiError } from "./client";

const failed = (status: number) =>
  new ApiError(status, { code: "", message: "", places: [], blank: null });

test("what the server refused is not asked again", () => {
  expect(again(0, failed(404))).toBe(false);
  expect(again(0, failed(403))).toBe(false);
});

test("a server that was away is asked once more", () => {
  for (const error of [failed(0), failed(503), new TypeError("no JSON")]) {
    expect(again(0, error)).toBe(true);
    expect(again(1, error)).toBe(false);
  }
});
