import { measure } from "../../parts/numbers";
import { reportOf } from "../../study/context";
import type { StagePage } from "../stage";
import { DomainConsequences } from "./Consequences";
import { EnclosureHandles } from "./EnclosureHandles";
import { domainMarks } from "./marks";
import { useSections } from "./sections";

export const page: StagePage = {
  key: "domain",
  draws: ["domain", "geometry"],
  tools: [],
  writes: [
    ["whole", "as a whole"],
    ["body", "per zone"],
    ["patch", "per patch"],
  ],
  headline: ({ variant, unit }) => {
    const r = reportOf(variant, "domain");
    return r ? `${measure(r.volume, 3)} ${unit}³` : "";
  },
  Consequences: DomainConsequences,
  overlays: [EnclosureHandles],
  marks: domainMarks,
  useSections,
};
