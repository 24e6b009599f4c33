import { reportOf } from "../../study/context";
import { useMeshSections } from "../patches/sections";
import type { StagePage } from "../stage";
import { CaseConsequences } from "./Consequences";
import { useForetoldFindings } from "./useForetold";

export const page: StagePage = {
  key: "case",
  draws: ["mesh", "surface", "domain", "geometry"],
  slices: true,
  picture: "mesh",
  tools: [],
  headline: ({ variant }) => {
    const r = reportOf(variant, "case");
    return r ? (r.valid ? "mesh valid" : "not valid") : "";
  },
  Consequences: CaseConsequences,
  useFindings: useForetoldFindings,
  useSections: useMeshSections,
};
