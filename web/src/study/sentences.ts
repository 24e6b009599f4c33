/** Sentences of a brief: their blanks, and when they are shown. */
import type { Sentence } from "../api/client";

/** A sentence with its blanks: text and {names}, in order. */
export function parts(sentence: string): { text: string; blank: boolean }[] {
  return sentence
    .split(/(\{[a-z_]+\})/)
    .filter(Boolean)
    .map((p) =>
      p.startsWith("{") ? { text: p.slice(1, -1), blank: true } : { text: p, blank: false },
    );
}

/** A sentence is shown while each setting it asks for has one of the values it names. */
export function shown(sentence: Sentence, facts: Record<string, unknown>): boolean {
  return Object.entries(sentence.only).every(([name, values]) =>
    values.includes(String(facts[name])),
  );
}

/**
 * What sentences may depend on besides settings: the kind of model, whether a body is open, and
 * whether walls have layers.
 */
export function factsOf(
  geometry: { model?: { kind: string }; bodies?: { solid: boolean }[] } | null,
  layers: { cells: number } | null = null,
): Record<string, string> {
  if (!geometry) return {};
  const open = geometry.bodies?.some((b) => !b.solid) ? "yes" : "no";
  const layered = layers && layers.cells > 0 ? "yes" : "no";
  return { kind: geometry.model?.kind ?? "", open, layered };
}
