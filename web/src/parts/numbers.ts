/** Numbers as the screen shows them: thousands separated, a few significant digits. */

export function count(value: number): string {
  return Math.round(value)
    .toString()
    .replace(/\B(?=(\d{3})+(?!\d))/g, ",");
}

export function measure(value: number, digits = 4): string {
  if (!Number.isFinite(value)) return "–";
  if (value === 0) return "0";
  const size = Math.abs(value);
  if (size >= 1e7 || size < 1e-3) {
    const [mantissa, exponent] = value.toExponential(digits - 1).split("e") as [string, string];
    const raised = [...String(Number(exponent))].map(
      (c) => "⁻⁰¹²³⁴⁵⁶⁷⁸⁹"["-0123456789".indexOf(c)],
    );
    return `${trim(mantissa)}·10${raised.join("")}`;
  }
  if (size >= 10 ** digits) return count(Number(value.toPrecision(digits)));
  const decimals = Math.max(0, digits - 1 - Math.floor(Math.log10(size)));
  const text = trim(value.toFixed(decimals));
  const [whole, fraction] = text.split(".") as [string, string | undefined];
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, ",");
  return fraction ? `${grouped}.${fraction}` : grouped;
}

function trim(text: string): string {
  return text.includes(".") ? text.replace(/\.?0+$/, "") : text;
}

export function duration(seconds: number): string {
  if (seconds < 60) return `${Math.max(1, Math.round(seconds))} s`;
  if (seconds < 3600) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

export function bytes(size: number): string {
  if (size < 1e3) return `${size} B`;
  if (size < 1e6) return `${measure(size / 1e3, 3)} kB`;
  if (size < 1e9) return `${measure(size / 1e6, 3)} MB`;
  return `${measure(size / 1e9, 3)} GB`;
}

export function ago(iso: string): string {
  const seconds = (Date.now() - new Date(iso).getTime()) / 1000;
  if (seconds < 90) return "just now";
  if (seconds < 5400) return `${Math.round(seconds / 60)} minutes ago`;
  if (seconds < 129600) return `${Math.round(seconds / 3600)} hours ago`;
  return new Date(iso).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "long",
    year: "numeric",
  });
}

/** So many things, in words that fit a narrow place: one of them, or from a million on in millions. */
export function counted(value: number, one: string, many = `${one}s`): string {
  if (value === 1) return `1 ${one}`;
  return value < 1e6 ? `${count(value)} ${many}` : `${measure(value / 1e6, 3)} M ${many}`;
}
