/** Lists of rows that two people change at the same time. */

const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

const nameOf = (row: unknown) =>
  typeof row === "object" && row !== null && "name" in row ? row.name : undefined;

/** The rows of both, where they changed different ones or added some; nothing where they changed
 * the same one, or one of them took rows away, after which no row is where it was. */
export function mergedRows(base: unknown, mine: unknown, theirs: unknown): unknown[] | undefined {
  if (!Array.isArray(base) || !Array.isArray(mine) || !Array.isArray(theirs)) return undefined;
  const count = base.length;
  if (mine.length < count || theirs.length < count) return undefined;
  const out: unknown[] = [];
  for (let k = 0; k < count; k++) {
    if (same(mine[k], base[k])) out.push(theirs[k]);
    else if (same(theirs[k], base[k]) || same(theirs[k], mine[k])) out.push(mine[k]);
    else return undefined;
  }
  const added = theirs.slice(count);
  const own = mine.slice(count).filter((row) => !added.some((other) => same(row, other)));
  const all = [...out, ...added, ...own];
  const names = all.map(nameOf).filter((name) => name !== undefined);
  return new Set(names).size === names.length ? all : undefined;
}
