/** Light or dark: paper with ink on it, or an inked plate whose lines shine. */
import { create } from "zustand";
import { RAMP } from "./palette";

export type Theme = "light" | "dark";

const KEY = "intaglio theme";

/** From the plate to what shines most through verdigris: the worst stands out on either ground. */
export const DARK_RAMP = [
  "#252b31",
  "#28444b",
  "#2f6467",
  "#4c8d82",
  "#86b79d",
  "#c6d8b4",
  "#fbf3d6",
] as const;

export const rampOf = (theme: Theme): readonly string[] => (theme === "dark" ? DARK_RAMP : RAMP);

/** What the drawing takes from the theme, as 0xRRGGBB. */
export const GROUND: Record<Theme, { ink: number; guide: number }> = {
  light: { ink: 0x22262b, guide: 0x226a5f },
  dark: { ink: 0xe4dfd2, guide: 0x6cc0ae },
};

/** The theme chosen here before, else the one that the system asks for. */
export function firstTheme(): Theme {
  const kept = globalThis.localStorage?.getItem(KEY);
  if (kept === "light" || kept === "dark") return kept;
  return globalThis.matchMedia?.("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

interface ThemeState {
  theme: Theme;
  setTheme: (theme: Theme) => void;
}

export const useTheme = create<ThemeState>((set) => ({
  theme: firstTheme(),
  setTheme: (theme) => {
    globalThis.localStorage?.setItem(KEY, theme);
    set({ theme });
  },
}));

/** Tell the page's styles of the theme, now and whenever it changes. */
export function followTheme(root: HTMLElement): void {
  const tell = ({ theme }: ThemeState) => {
    root.dataset.theme = theme;
  };
  tell(useTheme.getState());
  useTheme.subscribe(tell);
}
