import { counted } from "../../parts/numbers";
import { reportOf } from "../../study/context";
import type { StagePage } from "../stage";
import { useSections } from "./sections";

export const page: StagePage = {
  key: "patches",
  draws: ["domain", "geometry"],
  picture: "domain",
  tools: [],
  headline: ({ variant }) => {
    const r = reportOf(variant, "patches");
    return r ? counted(r.patches.length, "patch", "patches") : "";
  },
  Consequences: () => null,
  useSections,
};
