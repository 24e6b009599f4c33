/** The address as the place in the application: the shelf, or a stage of a study's variant. */
import { useSyncExternalStore } from "react";

export interface Place {
  study: number | null;
  variant: number | null;
  stage: string;
  /** variants set side by side, instead of the bench */
  compare?: number[];
  /** one's account, instead of the shelf */
  account?: boolean;
  /** the secret of an invitation */
  join?: string;
}

export function readPlace(path: string): Place {
  const shelf: Place = { study: null, variant: null, stage: "geometry" };
  if (path === "/account") return { ...shelf, account: true };
  const join = /^\/join\/([\w-]+)$/.exec(path);
  if (join) return { ...shelf, join: join[1]! };
  const side = /^\/study\/(\d+)\/compare\/(\d+(?:,\d+)*)$/.exec(path);
  if (side) {
    const compare = [...new Set(side[2]!.split(",").map(Number))].slice(0, 4);
    return { study: Number(side[1]), variant: compare[0]!, stage: "mesh", compare };
  }
  const found = /^\/study\/(\d+)(?:\/(\d+))?(?:\/([a-z]+))?/.exec(path);
  return {
    study: found ? Number(found[1]) : null,
    variant: found?.[2] ? Number(found[2]) : null,
    stage: found?.[3] ?? "geometry",
  };
}

export function pathOf(place: Place): string {
  if (place.account) return "/account";
  if (place.join) return `/join/${place.join}`;
  if (place.study === null) return "/";
  if (place.compare && place.compare.length > 1)
    return `/study/${place.study}/compare/${place.compare.join()}`;
  const variant = place.variant === null ? "" : `/${place.variant}/${place.stage}`;
  return `/study/${place.study}${variant}`;
}

const listeners = new Set<() => void>();
window.addEventListener("popstate", () => {
  for (const tell of listeners) tell();
});

export function go(place: Place, replace = false): void {
  const path = pathOf(place);
  if (path !== location.pathname) {
    if (replace) history.replaceState(null, "", path);
    else history.pushState(null, "", path);
  }
  for (const tell of listeners) tell();
}

export function usePlace(): Place {
  const path = useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => location.pathname,
  );
  return readPlace(path);
}
