/** What cells are coloured by: metrics, and the few kinds that are none. */
import type { Lists } from "../api/client";
import type { SurfaceReport, VolumeReport } from "../api/reports";
import { PATCH_COLOURS } from "../parts/palette";
import type { Colouring } from "../view/cellLayers";
import { metricOf } from "./context";

export const KINDS: Record<string, string> = { zone: "Zone", shape: "Shape", layer: "Layer" };

/** scale: limits that several meshes share, by metric. */
export function colouringOf(
  lists: Lists,
  report: VolumeReport | SurfaceReport | null,
  key: string,
  scale: Record<string, [number, number]> = {},
): Colouring {
  if (key === "layer") return { how: "layers", limits: [0, 1] };
  if (key in KINDS) return { how: "kinds", limits: [0, 1] };
  const { large_is_bad, ratio } = metricOf(lists, key);
  const edges = report?.histograms?.[key]?.edges ?? [0, 1];
  const ends = scale[key] ?? [edges[0] ?? 0, edges.at(-1) ?? 1];
  return {
    how: ratio && ends[0] > 0 ? "ratio" : "even",
    limits: large_is_bad ? [ends[0], ends[1]] : [ends[1], ends[0]],
  };
}

/** Name and colour of each kind that occurs. */
export function kindsOf(
  key: string,
  lists: Lists,
  report: VolumeReport,
): { words: string; colour: string }[] {
  const colour = (k: number) => PATCH_COLOURS[k % PATCH_COLOURS.length]!;
  if (key === "zone")
    return Object.keys(report.zones).map((words, k) => ({ words, colour: colour(k) }));
  if (key === "shape")
    return lists.cell_shapes
      .map(({ key: shape, label: words }, k) => ({ shape, words, colour: colour(k) }))
      .filter(({ shape }) => report.cells_by_shape?.[shape]);
  return [
    { words: "core", colour: "var(--color-shade)" },
    { words: "layers 1, 3, 5 …", colour: "#57998f" },
    { words: "layers 2, 4, 6 …", colour: "#9ec9b0" },
  ];
}
