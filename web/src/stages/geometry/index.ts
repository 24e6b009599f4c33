import { counted } from "../../parts/numbers";
import { reportOf } from "../../study/context";
import type { StagePage } from "../stage";
import { GeometryConsequences } from "./Consequences";
import { useSections } from "./sections";

export const page: StagePage = {
  key: "geometry",
  draws: ["geometry"],
  part: true,
  tools: [],
  writes: [
    ["whole", "as a whole"],
    ["body", "per body"],
  ],
  takesFiles: true,
  headline: ({ variant }) => {
    const r = reportOf(variant, "geometry");
    return r ? counted(r.faces.length, "face") : "";
  },
  Consequences: GeometryConsequences,
  useSections,
};
