import { count, measure } from "../../parts/numbers";
import { Quality } from "../../quality/Quality";
import { reportOf, useBench } from "../../study/context";
import { type Fact, FactTable } from "../../study/FactTable";

/** Cells by shape, and the quality of the mesh. */
export function VolumeConsequences() {
  const { variant, unit, lists } = useBench();
  const called = (shape: string) => {
    const words = lists.cell_shapes.find(({ key }) => key === shape)?.label ?? shape;
    return words.charAt(0).toUpperCase() + words.slice(1);
  };
  const r = reportOf(variant, "volume");
  return r ? (
    <>
      <FactTable
        rows={[
          ...Object.entries(r.cells_by_shape ?? { tetrahedron: r.cells }).map(
            ([shape, n]): Fact => [called(shape), count(n)],
          ),
          ["Points", count(r.points)],
          ["Volume", `${measure(r.volume, 6)} ${unit}³`],
        ]}
      />
      <Quality />
    </>
  ) : null;
}
