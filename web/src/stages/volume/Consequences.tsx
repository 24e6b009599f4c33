import { count, measure } from "../../parts/numbers";
import { Quality } from "../../quality/Quality";
import { reportOf, useBench } from "../../study/context";
import { type Fact, FactTable } from "../../study/FactTable";

const PLURAL: Record<string, string> = {
  tetrahedron: "Tetrahedra",
  pyramid: "Pyramids",
  prism: "Prisms",
  hexahedron: "Hexahedra",
  polyhedron: "Polyhedra",
};

/** Cells by shape, and the quality of the mesh. */
export function VolumeConsequences() {
  const { variant, unit } = useBench();
  const r = reportOf(variant, "volume");
  return r ? (
    <>
      <FactTable
        rows={[
          ...Object.entries(r.cells_by_shape ?? { tetrahedron: r.cells }).map(
            ([shape, n]): Fact => [PLURAL[shape] ?? shape, count(n)],
          ),
          ["Points", count(r.points)],
          ["Volume", `${measure(r.volume, 6)} ${unit}³`],
        ]}
      />
      <Quality />
    </>
  ) : null;
}
