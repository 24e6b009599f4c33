import type { Shape } from "../api/client";
import { reportOf, useBench } from "../bench/context";
import { pattern } from "../parts/pattern";
import { type BlankProps, shownValue } from "./props";
import { Add, numberOr, Row, Text } from "./SizesBlank";

type Kind = Shape<"RowKindShape">;
type RowBlank = Shape<"RowBlankShape">;
type KindedRow = Record<string, unknown> & { is: string };

/** What a row can be on: patches or zones, each with its kind. */
function useNamed(scope: string): { name: string; kind: string }[] {
  const { variant } = useBench();
  if (scope === "zones")
    return (reportOf(variant, "domain")?.zones ?? []).map(({ name, kind }) => ({ name, kind }));
  const patches = reportOf(variant, "patches")?.patches ?? [];
  return patches.map(({ name, kind }) => ({ name, kind }));
}

const fits = (kind: Kind, own: string) => kind.fits.length === 0 || kind.fits.includes(own);

/** A first value for each number that a kind needs. */
const firstValues = (kind: Kind) =>
  Object.fromEntries(kind.blanks.map((b) => [b.name, firstOf(b)]));

const firstOf = (b: RowBlank) =>
  b.type === "point"
    ? b.name === "axis"
      ? [0, 0, 1]
      : [0, 0, 0]
    : b.name === "temperature"
      ? 20
      : b.above === null
        ? 0
        : 1;

/** Rows of which each is of a kind, on some patches or zones, with the numbers that it needs. */
export function KindedBlank({ blank, value, change }: BlankProps) {
  const { scope, kinds } = blank.rows!;
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
              change={(t) =>
                put(k, { ...row, [scope]: t.split(/[,\s]+/).filter(Boolean) } as KindedRow)
              }
            />{" "}
            <select
              aria-label={`kind of ${what}`}
              className="blank max-w-60"
              value={row.is}
              onChange={(e) => {
                const other = kindOf(kinds, e.target.value);
                const known = [...other.blanks, ...other.optional].filter((b) => b.name in row);
                const kept = Object.fromEntries(known.map((b) => [b.name, row[b.name]]));
                put(k, { [scope]: row[scope], is: other.key, ...firstValues(other), ...kept });
              }}
            >
              {(possible.includes(kind) ? possible : [kind, ...possible]).map((o) => (
                <option key={o.key} value={o.key}>
                  {o.label}
                </option>
              ))}
            </select>{" "}
            {[...kind.blanks, ...kind.optional.filter((b) => b.name in row)].map((b) => (
              <Amount
                key={b.name}
                blank={b}
                what={what}
                value={row[b.name]}
                change={(v) => put(k, { ...row, [b.name]: v })}
                drop={
                  kind.blanks.includes(b)
                    ? null
                    : () => {
                        const { [b.name]: _, ...rest } = row;
                        put(k, rest as KindedRow);
                      }
                }
              />
            ))}
            {kind.optional
              .filter((b) => !(b.name in row))
              .map((b) => (
                <button
                  key={b.name}
                  type="button"
                  title={`add ${b.label}`}
                  className="mr-1 text-[11.5px] text-soft underline hover:text-ink"
                  onClick={() => put(k, { ...row, [b.name]: firstOf(b) })}
                >
                  + {b.name.replace("_", " ")}
                </button>
              ))}
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
            change([...rows, { [scope]: scoped, is: kind.key, ...firstValues(kind) }]);
          }}
        />
      </span>
    </span>
  );
}

const kindOf = (kinds: Kind[], key: string): Kind =>
  kinds.find((k) => k.key === key) ?? { key, label: key, fits: [], blanks: [], optional: [] };

/** One number of a row, or three, with its unit. */
function Amount({
  blank,
  what,
  value,
  change,
  drop,
}: {
  blank: RowBlank;
  what: string;
  value: unknown;
  change: (value: unknown) => void;
  drop: (() => void) | null;
}) {
  const { unit } = useBench();
  const words = blank.name === "rate" || blank.name === "speed" ? "" : blank.name.replace("_", " ");
  const three = blank.type === "point" ? ((value as unknown[]) ?? [0, 0, 0]) : null;
  return (
    <span className="mr-1.5 inline-block whitespace-nowrap">
      {words && <span className="text-soft">{words} </span>}
      {three ? (
        ["x", "y", "z"].map((axis, k) => (
          <Text
            key={axis}
            label={`${blank.label} of ${what}, ${axis}`}
            value={shownValue(three[k])}
            change={(t) => change(three.map((v, i) => (i === k ? numberOr(t) : v)))}
          />
        ))
      ) : (
        <Text
          label={`${blank.label} of ${what}`}
          value={shownValue(value)}
          change={(t) => change(numberOr(t))}
        />
      )}{" "}
      <span className="text-soft">{blank.unit.replace("{unit}", unit)}</span>
      {drop && (
        <button
          type="button"
          aria-label={`leave out ${blank.label} of ${what}`}
          className="ml-0.5 text-soft hover:text-madder"
          onClick={drop}
        >
          ×
        </button>
      )}
    </span>
  );
}
