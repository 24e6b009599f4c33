import { count, measure } from "../../parts/numbers";
import { reportOf } from "../../study/context";
import { useMeshSections } from "../patches/sections";
import type { StagePage } from "../stage";
import { LayersConsequences } from "./Consequences";
import { WallMap } from "./WallMap";

export const page: StagePage = {
  key: "layers",
  draws: ["layers", "surface", "domain", "geometry"],
  picture: "surface",
  meshed: true,
  seams: true,
  places: true,
  tools: [],
  headline: ({ variant }) => {
    const r = reportOf(variant, "layers");
    if (!r) return "";
    if (r.patches.length === 0) return "none";
    const area = r.patches.reduce((sum, p) => sum + p.area, 0);
    const full = r.patches.reduce((sum, p) => sum + p.area * p.full, 0);
    return `${count(Math.max(...r.patches.map((p) => p.count)))} on ${measure((100 * full) / area, 3)} %`;
  },
  Consequences: LayersConsequences,
  overlays: [WallMap],
  useSections: useMeshSections,
};
