import { useTheme } from "./theme";

/** Paper or plate. */
export function ThemeButton() {
  const { theme, setTheme } = useTheme();
  const other = theme === "dark" ? "light" : "dark";
  return (
    <button
      type="button"
      className="quiet"
      aria-label={`${other} theme`}
      title={`${other} theme`}
      onClick={() => setTheme(other)}
    >
      <svg viewBox="0 0 16 16" className="inline h-4 w-4" aria-hidden="true">
        <circle cx="8" cy="8" r="6" fill="none" stroke="currentColor" strokeWidth="1.4" />
        <path d="M8 2a6 6 0 0 1 0 12z" fill="currentColor" />
      </svg>
    </button>
  );
}
