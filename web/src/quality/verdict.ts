import type { Shape } from "../api/client";

/** How a mesh stands to its limits, in words for the strip; null without limits. */
export function verdictOf(told: Shape<"Verdict"> | undefined) {
  if (!told || told.rows.length === 0) return null;
  const beyond = told.rows.filter((row) => !row.passed).length;
  return beyond === 0
    ? { good: true, words: "within limits" }
    : { good: false, words: `${beyond} beyond` };
}
