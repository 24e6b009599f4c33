import { pattern } from "../parts/pattern";
import { reportOf, useBench } from "../study/context";
import type { BlankProps } from "./props";
import { Add, More, Row, Text } from "./RowParts";
import { fieldsOf, newRow, type RowForm, split } from "./rows";

type KindedRow = Record<string, unknown> & { is: string };

/** What a row can be on: patches or zones, each with its kind. */
function useNamed(scope: string): { name: string; kind: string }[] {
  const { variant } = useBench();
  if (scope === "zones")
    return (reportOf(variant, "domain")?.zones ?? []).map(({ name, kind }) => ({ name, kind }));
  const patches = reportOf(variant, "patches")?.patches ?? [];
  return patches.map(({ name, kind }) => ({ name, kind }));
}

const fits = (kind: RowForm, own: string) => kind.fits.length === 0 || kind.fits.includes(own);

/** Rows of which each is of a kind, on some patches or zones, with the numbers that it needs. */
export function KindedBlank({ blank, value, change }: BlankProps) {
  const forms = blank.rows!;
  const kinds = forms.forms;
  const scope = forms.common[0]!.name;
  const named = useNamed(scope);
  const rows = (value as KindedRow[]) ?? [];
  const namesOf = (row: KindedRow) => (row[scope] as string[]) ?? [];
  const meant = (row: KindedRow) =>
    named.filter(({ name }) => namesOf(row).some((n) => pattern(n).test(name)));
  const told = (n: { name: string; kind: string }) =>
    rows.some((r) => meant(r).includes(n) && fits(kindOf(kinds, r.is), n.kind));
  const open = named.filter((n) => kinds.some((k) => fits(k, n.kind)) && !told(n));
  // those of one kind come together, the likeliest first
  const next = open.filter((n) => n.kind === open[0]?.kind).map((n) => n.name);
  const put = (k: number, next: KindedRow) => change(rows.map((r, i) => (i === k ? next : r)));
  const one = scope === "zones" ? "zone" : "patch";
  return (
    <span className="block">
      {rows.length === 0 && <span className="text-soft">none.</span>}
      {rows.map((row, k) => {
        const kind = kindOf(kinds, row.is);
        const own = meant(row);
        const possible = kinds.filter((o) => own.length === 0 || own.some((n) => fits(o, n.kind)));
        const what = `${blank.label} ${k + 1}`;
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: rows have no names of their own
          <Row key={k} remove={() => change(rows.filter((_, i) => i !== k))} what={what}>
            <Text
              label={`${scope} of ${what}`}
              value={namesOf(row).join(", ")}
              change={(t) => put(k, { ...row, [scope]: split(t) } as KindedRow)}
            />{" "}
            <select
              aria-label={`kind of ${what}`}
              className="blank max-w-60"
              value={row.is}
              onChange={(e) => {
                const other = kindOf(kinds, e.target.value);
                const known = fieldsOf(forms, other).filter((b) => b.name in row);
                const kept = Object.fromEntries(known.map((b) => [b.name, row[b.name]]));
                put(k, newRow(forms, other.key, kept) as KindedRow);
              }}
            >
              {(possible.includes(kind) ? possible : [kind, ...possible]).map((o) => (
                <option key={o.key} value={o.key}>
                  {o.label}
                </option>
              ))}
            </select>{" "}
            <More
              rows={forms}
              row={row}
              what={what}
              drawn={[scope, "is"]}
              put={(next) => put(k, next as KindedRow)}
            />
          </Row>
        );
      })}
      <span className="mt-1 flex flex-wrap gap-1">
        <Add
          words={`+ ${next.length === 0 ? one : next.length > 3 ? `${next.length} ${scope}` : next.join(", ")}`}
          press={() => {
            const to = open[0] ?? named[0];
            const kind = kinds.find((o) => to === undefined || fits(o, to.kind)) ?? kinds[0]!;
            const scoped = next.length > 0 ? next : [to?.name ?? "*"];
            change([...rows, newRow(forms, kind.key, { [scope]: scoped })]);
          }}
        />
      </span>
    </span>
  );
}

const kindOf = (kinds: RowForm[], key: string): RowForm =>
  kinds.find((k) => k.key === key) ?? { key, label: key, fits: [], told_by: [], blanks: [] };
