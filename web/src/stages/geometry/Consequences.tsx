import { count, measure } from "../../parts/numbers";
import { reportOf, useBench } from "../../study/context";
import { FactTable } from "../../study/FactTable";
import { Features } from "./Features";

/** What the part is, in numbers. */
export function GeometryConsequences() {
  const { variant, unit } = useBench();
  const r = reportOf(variant, "geometry");
  if (!r) return null;
  // as soon as it is drawn, the numbers are those of what is drawn
  const about = r.bodies.length === 0 ? "≈ " : "";
  const digits = about ? 3 : 6;
  return (
    <>
      <FactTable
        rows={[
          ["File", r.file],
          ["Unit", `${r.unit}${r.unit_known ? "" : ", not said by the file"}`],
          ["Overall size", `${r.size.map((s) => measure(s)).join(" × ")} ${unit}`],
          ["Volume of material", `${about}${measure(r.volume, digits)} ${unit}³`],
          ["Area", `${about}${measure(r.area, digits)} ${unit}²`],
          ["Bodies, faces", `${about ? "…" : r.bodies.length}, ${count(r.faces.length)}`],
          ...(r.triangles ? [["Triangles", count(r.triangles)] as [string, string]] : []),
          ["Closed", <Closed key="closed" closed={r.closed} />],
        ]}
      />
      <Features features={r.features} />
      <p className="mt-2 text-soft">
        Is it the right size? If {measure(r.size[0] ?? 0)} {unit} cannot be right, the file was
        exported in another unit.
      </p>
    </>
  );
}

function Closed({ closed }: { closed: boolean | null }) {
  if (closed === null) return <span className="text-verdigris">◔ being looked at</span>;
  return closed ? (
    <span className="text-verdigris">✓ yes</span>
  ) : (
    <span className="text-madder">✕ not yet</span>
  );
}
