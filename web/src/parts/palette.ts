/** Our colours for patches and the ramp for quality, both readable for colour-blind people. */

export const PATCH_COLOURS = [
  "#58a596",
  "#d9a650",
  "#7186c4",
  "#cf7a6d",
  "#a184b3",
  "#9aa85a",
  "#7d9bab",
  "#b98d6b",
] as const;

export const WALL_COLOUR = "#d9d2c2";
export const FAR_COLOUR = "#e9eef0";

/** Paper to ink through verdigris; lightness falls evenly, so the worst is darkest. */
export const RAMP = [
  "#f1ead6",
  "#c9d8b8",
  "#8fbfa5",
  "#56998f",
  "#2f6f78",
  "#274a63",
  "#1d2440",
] as const;

export function colourOf(index: number, kind: string): string {
  if (kind === "wall") return WALL_COLOUR;
  if (kind === "far_field") return FAR_COLOUR;
  return PATCH_COLOURS[index % PATCH_COLOURS.length]!;
}

export function rgb(hex: string): [number, number, number] {
  const n = Number.parseInt(hex.slice(1), 16);
  return [((n >> 16) & 255) / 255, ((n >> 8) & 255) / 255, (n & 255) / 255];
}

/** Pattern numbers of the surface shader, by patch kind. */
export const PATTERN: Record<string, number> = {
  none: 0,
  wall: 1,
  inlet: 2,
  outlet: 3,
  symmetry: 4,
  periodic: 5,
  interface: 6,
  flat: 7,
  wedge: 7,
};
