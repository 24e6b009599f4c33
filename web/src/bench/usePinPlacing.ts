import { useCallback } from "react";
import { useSettings } from "../api/queries";
import type { Pin } from "../api/reports";
import { stateOf, useBench } from "../study/context";
import { useViewStore } from "../view/store";

/** Put the chosen pin where the analyst points. */
export function usePinPlacing() {
  const { variant } = useBench();
  const settings = useSettings(variant.id);
  const pins = (stateOf(variant, "domain").settings?.pin ?? []) as Pin[];
  return useCallback(
    (at: number[] | null) => {
      const { pin, setTool } = useViewStore.getState();
      if (!at || pin === null) return;
      const place = at.map((v) => Number(v.toPrecision(7)));
      settings.mutate({
        domain: { pin: pins.map((p) => (p.name === pin ? { ...p, at: place } : p)) },
      });
      setTool("turn");
    },
    [pins, settings.mutate],
  );
}
