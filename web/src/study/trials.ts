/** Several values typed into one blank, as in 1.1, 1.15, 1.25: a variant for each. */

const NUMBER = String.raw`[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?`;
// one comma alone may be a decimal one: a list has a semicolon, a comma with a space, or two commas
const LIST = new RegExp(`^\\s*${NUMBER}(?:\\s*(?:;|,\\s)\\s*${NUMBER})+\\s*$`);
const TIGHT = new RegExp(`^\\s*${NUMBER}(?:\\s*,\\s*${NUMBER}){2,}\\s*$`);

export const MOST_TRIALS = 4;

/** The numbers of a list, or null for any other text. */
export function listed(text: unknown): number[] | null {
  if (typeof text !== "string" || !(LIST.test(text) || TIGHT.test(text))) return null;
  return [...new Set(text.split(/[;,]/).map(Number))];
}

export interface Spread {
  /** the field that the list was typed into, "" at the top */
  field: string;
  values: number[];
  /** the setting with each of the values in its place */
  settings: unknown[];
}

/** The first list of numbers in a setting, however deep, and the setting with each of them. */
export function spread(value: unknown, field = ""): Spread | null {
  const values = listed(value);
  if (values) return { field, values, settings: values };
  if (typeof value !== "object" || value === null) return null;
  for (const [key, inner] of Object.entries(value)) {
    const found = spread(inner, Array.isArray(value) ? field : key);
    if (!found) continue;
    const settings = found.settings.map((one) =>
      Array.isArray(value)
        ? value.map((v, k) => (String(k) === key ? one : v))
        : { ...value, [key]: one },
    );
    return { ...found, settings };
  }
  return null;
}
