import type { Pin } from "../../api/reports";
import { type BenchContext, reportOf, stateOf } from "../../study/context";
import type { Mark } from "../../view/store";

/** Closed openings and pins. */
export function domainMarks({ variant }: BenchContext): Mark[] {
  const own = stateOf(variant, "domain").settings;
  const geometry = reportOf(variant, "geometry");
  if (!own || !geometry) return [];
  const closed = own.closed as string[];
  const marks: Mark[] = geometry.openings
    .filter((o) => own.where === "inside" && closed.includes(o.name))
    .map((o) => ({ id: o.name, at: o.centre, text: `${o.name} closed`, tone: "ink" }));
  const pins = own.pin as Pin[];
  for (const pin of pins) {
    if (own.where !== "inside" && pin.kind === "fluid") continue;
    const text = pin.kind === "dry" ? `keep dry: ${pin.name}` : `${pin.name} here`;
    marks.push({
      id: `pin ${pin.name}`,
      at: pin.at,
      text: pins.length === 1 ? "fluid here" : text,
      tone: pin.kind === "dry" ? "caution" : "accent",
    });
  }
  return marks;
}
