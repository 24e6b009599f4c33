/** How the faces of what is drawn look: colour, pattern, seen through from outside. */
import type { Variant } from "../api/reports";
import { colourOf, PATTERN } from "../parts/palette";
import { patchOfFace, reportOf } from "../study/context";
import type { RegionLook } from "../view/viewport";
import { enclosingRoles } from "./enclosing";

export function looksOf(
  variant: Variant,
  family: "part" | "fluid",
  seeThrough: boolean,
): RegionLook[] {
  if (family === "part") {
    const faces = reportOf(variant, "geometry")?.faces.length ?? 1;
    return Array.from({ length: faces }, () => ({ colour: "#f0ebdf", pattern: 0 }));
  }
  const rows = reportOf(variant, "domain")?.faces ?? [];
  const roles = rows.map((row) => row.role ?? "");
  const hides = enclosingRoles(roles);
  // each side of a sheet is drawn as seen from the fluid on that side
  const open = (role: string) => role === "sheet" || (seeThrough && hides(role));
  const patches = reportOf(variant, "patches")?.patches ?? [];
  return patchOfFace(variant).map((k, face) => {
    const kind = patches[k]?.kind ?? "none";
    return {
      colour: k < 0 ? "#f0ebdf" : colourOf(k, kind),
      pattern: PATTERN[kind === "wall" ? "none" : kind] ?? 0,
      open: open(roles[face] ?? ""),
    };
  });
}
