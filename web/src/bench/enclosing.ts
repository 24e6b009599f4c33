/**
 * Which faces are looked through from outside, by their roles, so that what they enclose shows: those of
 * an enclosure around a body; where there is none, all walls around sheets.
 */
export function enclosingRoles(roles: string[]): (role: string) => boolean {
  if (roles.includes("far")) return (role) => role === "far" || role === "symmetry";
  if (roles.includes("sheet")) return (role) => role !== "sheet";
  return () => false;
}
