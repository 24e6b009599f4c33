/** The stages that the page knows. A new one is a folder here and a line below. */
import * as caseStage from "./case/index";
import * as domain from "./domain/index";
import * as geometry from "./geometry/index";
import * as layers from "./layers/index";
import * as patches from "./patches/index";
import * as sizing from "./sizing/index";
import type { StagePage } from "./stage";
import * as surface from "./surface/index";
import * as volume from "./volume/index";

const PAGES: StagePage[] = [
  geometry.page,
  domain.page,
  patches.page,
  sizing.page,
  surface.page,
  layers.page,
  volume.page,
  caseStage.page,
];

const BY_KEY = new Map(PAGES.map((page) => [page.key, page]));

/** For a stage that the core has and the page does not know: its settings and findings show. */
const PLAIN: Omit<StagePage, "key"> = {
  draws: ["mesh", "surface", "domain", "geometry"],
  tools: [],
  headline: () => "",
  Consequences: () => null,
  useSections: () => [],
};

export function pageOf(key: string): StagePage {
  return BY_KEY.get(key) ?? { key, ...PLAIN };
}
