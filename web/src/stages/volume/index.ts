import { counted } from "../../parts/numbers";
import { verdictOf } from "../../quality/verdict";
import { reportOf } from "../../study/context";
import { useMeshSections } from "../patches/sections";
import type { StagePage } from "../stage";
import { VolumeConsequences } from "./Consequences";

export const page: StagePage = {
  key: "volume",
  draws: ["mesh", "surface", "domain", "geometry"],
  meshed: true,
  slices: true,
  seams: true,
  tools: [],
  headline: ({ variant }) => {
    const r = reportOf(variant, "volume");
    return r ? counted(r.cells, "cell") : "";
  },
  verdict: ({ variant }) => verdictOf(reportOf(variant, "volume")?.verdict),
  Consequences: VolumeConsequences,
  useSections: useMeshSections,
};
