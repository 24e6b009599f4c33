import { useEffect, useRef, useState } from "react";
import type { BlankDescription } from "../api/client";

const GAP = 10;
/** Long enough to move the pointer from the blank to its hint. */
const LINGER = 250;

/**
 * What a blank tells on hover or focus: where its value comes from, and the rule of thumb. It stands
 * beside the brief, over the model, where it hides no sentence.
 */
export function Hint({
  blank,
  reason,
  changed,
  reset,
  id,
}: {
  blank: BlankDescription;
  reason?: string;
  changed: boolean;
  reset: () => void;
  id: string;
}) {
  const own = useRef<HTMLSpanElement>(null);
  const [shown, setShown] = useState(false);
  const [place, setPlace] = useState<{ top: number; right: number }>({ top: 0, right: 0 });
  useEffect(() => {
    const group = own.current?.parentElement;
    if (!group) return;
    let leaving = 0;
    const show = () => {
      window.clearTimeout(leaving);
      const at = group.getBoundingClientRect();
      const panel = group.closest("aside")?.getBoundingClientRect() ?? at;
      const height = own.current?.offsetHeight ?? 0;
      setPlace({
        top: Math.max(GAP, Math.min(at.top, window.innerHeight - height - GAP)),
        right: window.innerWidth - panel.left + GAP,
      });
      setShown(true);
    };
    const hide = () => {
      window.clearTimeout(leaving);
      leaving = window.setTimeout(() => {
        if (!group.contains(document.activeElement) && !group.matches(":hover")) setShown(false);
      }, LINGER);
    };
    group.addEventListener("mouseenter", show);
    group.addEventListener("focusin", show);
    group.addEventListener("mouseleave", hide);
    group.addEventListener("focusout", hide);
    return () => {
      window.clearTimeout(leaving);
      group.removeEventListener("mouseenter", show);
      group.removeEventListener("focusin", show);
      group.removeEventListener("mouseleave", hide);
      group.removeEventListener("focusout", hide);
    };
  }, []);
  return (
    <span
      id={id}
      ref={own}
      style={place}
      className={`fixed z-30 block w-64 whitespace-normal border border-ink bg-sheet p-2.5 text-left font-sans text-[12px] leading-snug shadow-[3px_3px_0_var(--color-shade)] ${shown ? "" : "invisible"}`}
    >
      <b className="block">{blank.label}</b>
      {reason && (
        <span className="mt-1 block">
          {changed ? "Derived value: " : "Derived: "}
          {reason}
        </span>
      )}
      <span className="mt-1 block text-soft">{blank.rule}</span>
      {changed && (
        <button type="button" className="quiet mt-2" onClick={reset}>
          Take the derived value
        </button>
      )}
    </span>
  );
}
