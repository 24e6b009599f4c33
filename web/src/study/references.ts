/** Faces by name and place: `face_3 @ 12.5 0 3`. The place finds the face again when numbers move. */

export function reference(name: string, at: number[] | undefined): string {
  if (!at) return name;
  return `${name} @ ${at.map((v) => Number(v.toPrecision(7))).join(" ")}`;
}

export function refName(text: string): string {
  return text.split("@")[0]!.trim();
}
