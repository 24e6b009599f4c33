import { counted } from "../../parts/numbers";
import { verdictOf } from "../../quality/verdict";
import { reportOf } from "../../study/context";
import { useMeshSections } from "../patches/sections";
import type { StagePage } from "../stage";
import { SurfaceConsequences } from "./Consequences";

export const page: StagePage = {
  key: "surface",
  draws: ["surface", "domain", "geometry"],
  meshed: true,
  seams: true,
  inPieces: true,
  tools: [],
  writes: [
    ["whole", "as a whole"],
    ["patch", "per patch"],
  ],
  facetsOnly: true,
  headline: ({ variant }) => {
    const r = reportOf(variant, "surface");
    return r ? counted(r.triangles, "triangle") : "";
  },
  verdict: ({ variant }) => verdictOf(reportOf(variant, "surface")?.verdict),
  Consequences: SurfaceConsequences,
  useSections: useMeshSections,
};
