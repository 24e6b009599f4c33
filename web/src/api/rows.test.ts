import { describe, expect, it } from "vitest";
import { mergedRows } from "./rows";

const row = (name: string, size = 1) => ({ name, size });
const base = [row("a"), row("b"), row("c")];

describe("rows that two people change", () => {
  it("are those of both where they changed different ones", () => {
    const mine = [row("a", 2), row("b"), row("c")];
    const theirs = [row("a"), row("b"), row("c", 3)];
    expect(mergedRows(base, mine, theirs)).toEqual([row("a", 2), row("b"), row("c", 3)]);
    expect(mergedRows(base, mine, mine)).toEqual(mine);
    expect(mergedRows(base, base, theirs)).toEqual(theirs);
  });

  it("have what either added, once", () => {
    const mine = [...base, row("mine"), row("same")];
    const theirs = [row("a", 2), row("b"), row("c"), row("theirs"), row("same")];
    expect(mergedRows(base, mine, theirs)).toEqual([...theirs, row("mine")]);
  });

  it("clash where they changed the same one, took one away, or gave one name twice", () => {
    expect(
      mergedRows(base, [row("a", 2), ...base.slice(1)], [row("a", 3), ...base.slice(1)]),
    ).toBeUndefined();
    expect(mergedRows(base, base.slice(1), base)).toBeUndefined();
    expect(mergedRows(base, base, base.slice(1))).toBeUndefined();
    expect(mergedRows(base, [...base, row("new", 2)], [...base, row("new", 3)])).toBeUndefined();
    const renamed = [row("n"), row("b"), row("c")];
    expect(mergedRows(base, renamed, [row("a"), row("b"), row("n")])).toBeUndefined();
  });

  it("are lists on all sides", () => {
    expect(mergedRows(undefined, base, base)).toBeUndefined();
    expect(mergedRows(base, null, base)).toBeUndefined();
    expect(mergedRows(2, 3, 4)).toBeUndefined();
  });
});
