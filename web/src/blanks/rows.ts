/** Rows of a list as the core describes them: which form one has, what a new one begins with. */
import type { Shape } from "../api/client";
import { listed } from "../study/trials";

export type RowForms = Shape<"RowFormsShape">;
export type RowForm = Shape<"RowFormShape">;
export type RowField = Shape<"RowFieldShape">;
export type AnyRow = Record<string, unknown>;

/** The form of a row: named by a field, or told by those that the row has. */
export function formOf(rows: RowForms, row: AnyRow): RowForm | undefined {
  if (rows.by) return rows.forms.find((form) => form.key === row[rows.by]);
  return rows.forms.find((form) => form.told_by.every((name) => name in row));
}

/** All that a row of a form may have. */
export const fieldsOf = (rows: RowForms, form?: RowForm): RowField[] => [
  ...rows.common,
  ...(form?.blanks ?? []),
];

/** A new row of a form: what it must have, as the core lets it begin, and what is given. */
export function newRow(rows: RowForms, key: string, given: AnyRow = {}): AnyRow {
  const form = rows.forms.find((f) => f.key === key);
  const own = fieldsOf(rows, form).filter((f) => !f.optional);
  const named = rows.by ? { [rows.by]: key } : {};
  return { ...Object.fromEntries(own.map((f) => [f.name, f.start])), ...named, ...given };
}

/** Names or patterns that were typed. */
export const split = (text: string): string[] => text.split(/[,\s]+/).filter(Boolean);

/** A number if it is one; else the text, so that the server can say what is wrong with it. */
export const numberOr = (text: string): number => {
  // several values make a trial
  if (listed(text)) return text.trim() as unknown as number;
  const clean = text.trim().replace(",", ".");
  const value = Number(clean);
  return (clean !== "" && Number.isFinite(value) ? value : clean) as number;
};
