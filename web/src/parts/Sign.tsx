/** Small signs that carry meaning besides colour: conditions, levels, patch kinds. */
import { colourOf } from "./palette";

/** How things stand with a result: a sign, whose words are there to be pointed at and read out. */
export function ConditionSign({ condition }: { condition: string }) {
  const look: Record<string, [string, string, string]> = {
    current: ["✓", "text-verdigris", "up to date"],
    outdated: ["↻", "text-ochre", "out of date"],
    running: ["◔", "text-verdigris", "running"],
    failed: ["✕", "text-madder", "failed"],
    none: ["–", "text-soft", "not yet"],
  };
  const [sign, tone, words] = look[condition] ?? look.none!;
  return (
    <span className={`${tone} whitespace-nowrap`} title={words}>
      <span aria-hidden="true">{sign}</span> <span className="sr-only">{words}</span>
    </span>
  );
}

/** A patch's swatch: its hatching first, its colour second. */
export function PatchSwatch({ kind, index }: { kind: string; index: number }) {
  const colour = colourOf(index, kind);
  return (
    <svg width="18" height="14" viewBox="0 0 18 14" className="shrink-0" aria-hidden="true">
      <rect x="0.5" y="0.5" width="17" height="13" fill={colour} stroke="#22262b" />
      {kind === "wall" && <path d="M1 13 5 9M5 13l8-8M9 13l8-8M13 13l4-4" stroke="#22262b" />}
      {kind === "inlet" && (
        <path d="M2 7h8M7.5 4 10.5 7l-3 3M13.5 2v10" stroke="#111" strokeWidth="1.4" fill="none" />
      )}
      {kind === "outlet" && (
        <path d="M4.5 2v10M6 7h9M12.5 4l3 3-3 3" stroke="#111" strokeWidth="1.4" fill="none" />
      )}
      {kind === "opening" && (
        <path d="M3 7h12M5.5 4.5 3 7l2.5 2.5M12.5 4.5 15 7l-2.5 2.5" stroke="#111" fill="none" />
      )}
      {kind === "far_field" && (
        <path d="M2 2h3M2 2v3M16 2h-3M16 2v3M2 12h3M2 12V9M16 12h-3M16 12V9" stroke="#111" />
      )}
      {kind === "periodic" && <path d="M5 3v8M7.5 3v8M11 3v8M13.5 3v8" stroke="#111" />}
      {kind === "interface" && (
        <path d="M1 7h16M3 1l4 6M8 1l4 6M13 1l4 6" stroke="#111" fill="none" />
      )}
      {kind === "flat" && <path d="M4 4h10v6H4z" stroke="#111" fill="none" />}
      {kind === "wedge" && <path d="M2 7 16 3v8z" stroke="#111" fill="none" />}
      {kind === "symmetry" && <path d="M1 7h6M8.5 7h1M11 7h6" stroke="#111" strokeWidth="1.4" />}
    </svg>
  );
}
