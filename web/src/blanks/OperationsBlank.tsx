import { Fragment } from "react";
import type { OperationDescription } from "../api/client";
import { useOperations } from "../api/queries";
import type { LogRow, Operation } from "../api/reports";
import { measure } from "../parts/numbers";
import { reportOf, stateOf, useBench } from "../study/context";
import { moved, safeTolerance } from "../study/operations";
import { parts } from "../study/sentences";
import { PlainBlank } from "./PlainBlank";
import type { BlankProps } from "./props";

/** The list of repairs and motions, each a sentence that can be switched off, moved, taken back. */
export function OperationsBlank({ value, change }: BlankProps) {
  const { variant, unit } = useBench();
  const known = useOperations().data ?? [];
  const rows = (value as Operation[]) ?? [];
  const report = reportOf(variant, "geometry");
  const current = stateOf(variant, "geometry").condition === "current";
  const log = current ? (report?.log ?? []) : [];
  const kind = report?.model?.kind ?? "cad";
  const fitting = known.filter((o) => o[kind]);
  const faults = (report?.findings ?? []).some((f) => (f.repairs ?? []).length > 0);
  const set = (k: number, part: Partial<Operation>) =>
    change(rows.map((r, i) => (i === k ? { ...r, ...part } : r)));
  return (
    <div className="mt-1 font-sans text-[13px] leading-normal">
      <ol className="border-t border-line">
        {rows.length === 0 && (
          <li className="border-b border-line py-1 text-soft">nothing: the part stays as read.</li>
        )}
        {rows.map((row, k) => {
          const operation = known.find((o) => o.key === row.do);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows are told apart by their place
            <li key={k} className="border-b border-line py-1">
              <span className="flex items-start gap-1.5">
                <input
                  type="checkbox"
                  aria-label={`repair ${k + 1} on`}
                  className="mt-1 accent-verdigris"
                  checked={row.on !== false}
                  onChange={(e) => set(k, { on: e.target.checked })}
                />
                <span className={`min-w-0 flex-1 ${row.on === false ? "text-soft" : ""}`}>
                  {operation ? (
                    <SentenceOf operation={operation} row={row} set={(part) => set(k, part)} />
                  ) : (
                    row.do
                  )}
                </span>
                <span className="flex shrink-0 gap-0.5 text-soft">
                  <button
                    type="button"
                    aria-label={`repair ${k + 1} earlier`}
                    className="px-0.5 hover:text-ink disabled:opacity-30"
                    disabled={k === 0}
                    onClick={() => change(moved(rows, k, k - 1))}
                  >
                    ↑
                  </button>
                  <button
                    type="button"
                    aria-label={`repair ${k + 1} later`}
                    className="px-0.5 hover:text-ink disabled:opacity-30"
                    disabled={k === rows.length - 1}
                    onClick={() => change(moved(rows, k, k + 1))}
                  >
                    ↓
                  </button>
                  <button
                    type="button"
                    aria-label={`remove repair ${k + 1}`}
                    className="px-0.5 hover:text-madder"
                    onClick={() => change(rows.filter((_, i) => i !== k))}
                  >
                    ✕
                  </button>
                </span>
              </span>
              {log[k] && log[k].do === row.do && (
                <Did
                  row={log[k]}
                  unit={unit}
                  keep={(name) =>
                    change(
                      rows.map((r, i) => (i === k ? { ...r, keep: [...names(r.keep), name] } : r)),
                    )
                  }
                  letGo={(name) =>
                    change(
                      rows.map((r, i) =>
                        i === k ? { ...r, keep: names(r.keep).filter((n) => n !== name) } : r,
                      ),
                    )
                  }
                />
              )}
            </li>
          );
        })}
      </ol>
      <div className="mt-2 flex items-center gap-2">
        <select
          aria-label="add a repair or motion"
          className="blank w-32 disabled:opacity-40"
          value=""
          onChange={(e) => {
            const operation = known.find((o) => o.key === e.target.value);
            if (operation) change([...rows, { do: operation.key, on: true, ...operation.default }]);
          }}
        >
          <option value="">+ add …</option>
          <optgroup label="Repairs">
            {fitting
              .filter((o) => o.group === "repair")
              .map((o) => (
                <option key={o.key} value={o.key}>
                  {o.title}
                </option>
              ))}
          </optgroup>
          <optgroup label="Scale and place">
            {fitting
              .filter((o) => o.group === "motion")
              .map((o) => (
                <option key={o.key} value={o.key}>
                  {o.title}
                </option>
              ))}
          </optgroup>
        </select>
        {report && faults && !rows.some((r) => r.do === "repair_safe") && (
          <button
            type="button"
            className="quiet"
            onClick={() =>
              change([
                ...rows,
                { do: "repair_safe", on: true, tolerance: safeTolerance(report.low, report.high) },
              ])
            }
          >
            Repair all that is safe
          </button>
        )}
      </div>
    </div>
  );
}

function SentenceOf({
  operation,
  row,
  set,
}: {
  operation: OperationDescription;
  row: Operation;
  set: (part: Partial<Operation>) => void;
}) {
  return (
    <>
      {parts(operation.sentence).map((part, place) => {
        // biome-ignore lint/suspicious/noArrayIndexKey: a sentence's words keep their places
        if (!part.blank) return <Fragment key={place}>{part.text}</Fragment>;
        const blank = operation.blanks.find((b) => b.name === part.text);
        if (!blank) return null;
        // a place counts only where it starts from one
        if (blank.name === "at" && row.start === "outside") return null;
        return (
          <PlainBlank
            key={blank.name}
            blank={blank}
            value={row[blank.name] ?? operation.default[blank.name]}
            changed={false}
            wrong={false}
            change={(value) => set({ [blank.name]: value ?? operation.default[blank.name] })}
          />
        );
      })}
    </>
  );
}

const names = (value: unknown): string[] => (Array.isArray(value) ? value : []);

interface DidProps {
  row: LogRow;
  unit: string;
  keep: (name: string) => void;
  letGo: (name: string) => void;
}

/** What a repair did, with the change of volume, or why it was not done. */
function Did({ row, unit, keep, letGo }: DidProps) {
  if (!row.on) return null;
  if (row.problem)
    return (
      <p role="alert" className="pl-5 text-madder">
        ✕ {row.problem}
      </p>
    );
  const change = row.volume_change;
  return (
    <div className="pl-5 text-[12px] text-soft">
      <p>
        ✓ {row.done}
        {Math.abs(change) > 0 &&
          `, volume ${change > 0 ? "+" : "−"}${measure(Math.abs(change), 3)} ${unit}³`}
      </p>
      <div className="max-h-48 overflow-y-auto">
        {row.actions.map((a) => (
          <p key={`${a.title} ${a.done}`}>
            · {row.do === "drop_unreached" ? a.title : a.title.toLowerCase()}: {a.done}
            {row.do === "drop_unreached" && a.done.startsWith("dropped") && (
              <button
                type="button"
                aria-label={`keep ${a.title}`}
                className="pl-1.5 text-verdigris underline"
                onClick={() => keep(a.title)}
              >
                keep
              </button>
            )}
            {row.do === "drop_unreached" && a.done.startsWith("kept by name") && (
              <button
                type="button"
                aria-label={`judge ${a.title} by the ball`}
                className="pl-1.5 text-verdigris underline"
                onClick={() => letGo(a.title)}
              >
                judge by the ball
              </button>
            )}
          </p>
        ))}
      </div>
    </div>
  );
}
