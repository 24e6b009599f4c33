import { reportOf } from "../../bench/context";
import { count } from "../../parts/numbers";
import { useMeshSections } from "../patches/sections";
import type { StagePage } from "../stage";
import { VolumeConsequences } from "./Consequences";

export const page: StagePage = {
  key: "volume",
  draws: ["volume", "surface", "domain", "geometry"],
  meshed: true,
  slices: true,
  seams: true,
  tools: [],
  headline: ({ variant }) => {
    const r = reportOf(variant, "volume");
    return r ? `${count(r.cells)} cells` : "";
  },
  verdict: ({ variant }) => {
    const told = reportOf(variant, "volume")?.verdict;
    if (!told || told.rows.length === 0) return null;
    const beyond = told.rows.filter((row) => !row.passed).length;
    return beyond === 0
      ? { good: true, words: "within limits" }
      : { good: false, words: `${beyond} beyond` };
  },
  Consequences: VolumeConsequences,
  useSections: useMeshSections,
};
