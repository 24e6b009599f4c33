import { useEffect, useRef } from "react";
import { stateOf, useBench } from "../../study/context";

// changes come in as whole values; this is for several at once
const PAUSE = 30;

/** While Sizing is open, its changes are laid out at once, so that the forecast follows. */
export function LiveSizing() {
  const { variant, stages, job, run } = useBench();
  const state = stateOf(variant, "sizing");
  const asked = JSON.stringify(state.settings);
  const seen = useRef({ variant: variant.id, asked });
  // another variant is looked at, not changed
  if (seen.current.variant !== variant.id) seen.current = { variant: variant.id, asked };
  const number = stages.findIndex((s) => s.key === "sizing");
  const ready =
    !job &&
    !state.error &&
    state.condition !== "current" &&
    stages.slice(0, number).every((s) => stateOf(variant, s.key).condition === "current");
  useEffect(() => {
    if (!ready || seen.current.asked === asked) return;
    const timer = setTimeout(() => {
      // once for each change: what fails is not tried again
      seen.current.asked = asked;
      run("sizing", true);
    }, PAUSE);
    return () => clearTimeout(timer);
  }, [ready, asked, run]);
  return null;
}
