import type { ReactNode } from "react";

export type Fact = [string, ReactNode];

/** Facts in two columns: words, and the number to them. */
export function FactTable({ rows }: { rows: Fact[] }) {
  return (
    <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-4 border-t border-line pt-2">
      {rows.map(([words, value]) => (
        <div key={words} className="contents">
          <dt className="text-soft">{words}</dt>
          <dd className="text-right">{value}</dd>
        </div>
      ))}
    </dl>
  );
}
