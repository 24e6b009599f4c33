/** Name patterns, in which * stands for any letters and everything else for itself. */

function escaped(text: string, any: string): string {
  return text.replace(/[.+^${}()|[\]\\?]/g, "\\$&").replace(/\*/g, any);
}

/** A whole name; what * stood for is captured. */
export function pattern(text: string): RegExp {
  return new RegExp(`^${escaped(text, "(.*)")}$`, "i");
}

/** Whether a name has the text in it, or, with a *, is as a whole what the pattern says. */
export function matches(name: string, text: string): boolean {
  if (text.includes("*")) return pattern(text).test(name);
  return name.toLowerCase().includes(text.toLowerCase());
}
