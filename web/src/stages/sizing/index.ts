import { measure } from "../../parts/numbers";
import { reportOf } from "../../study/context";
import { useMeshSections } from "../patches/sections";
import type { StagePage } from "../stage";
import { SizingConsequences } from "./Consequences";
import { CountedEnds } from "./CountedEnds";
import { LiveSizing } from "./LiveSizing";
import { RegionShapes } from "./RegionShapes";
import { Swatches } from "./Swatch";

export const page: StagePage = {
  key: "sizing",
  draws: ["domain", "geometry"],
  picture: "domain",
  seams: true,
  tools: ["swatch"],
  headline: ({ variant }) => {
    const r = reportOf(variant, "sizing");
    if (!r) return "";
    const cells = r.forecast.cells;
    return cells < 1e5 ? `≈ ${measure(cells, 2)} cells` : `≈ ${measure(cells / 1e6, 2)} M cells`;
  },
  Consequences: SizingConsequences,
  overlays: [RegionShapes, CountedEnds, Swatches, LiveSizing],
  useSections: useMeshSections,
};
