/** The stages that the page knows. A new one is a folder here and a line below. */
import * as caseStage from "./case";
import * as domain from "./domain";
import * as geometry from "./geometry";
import * as patches from "./patches";
import * as sizing from "./sizing";
import type { StagePage } from "./stage";
import * as surface from "./surface";
import * as volume from "./volume";

const PAGES: StagePage[] = [
  geometry.page,
  domain.page,
  patches.page,
  sizing.page,
  surface.page,
  volume.page,
  caseStage.page,
];

const BY_KEY = new Map(PAGES.map((page) => [page.key, page]));

/** A stage that the core has and the page does not know: its settings and findings still show. */
function plain(key: string): StagePage {
  return {
    key,
    draws: ["volume", "surface", "domain", "geometry"],
    tools: [],
    headline: () => "",
    Consequences: () => null,
    useSections: () => [],
  };
}

const unknown = new Map<string, StagePage>();

export function pageOf(key: string): StagePage {
  const found = BY_KEY.get(key) ?? unknown.get(key);
  if (found) return found;
  const made = plain(key);
  unknown.set(key, made);
  return made;
}
