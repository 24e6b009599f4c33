"""The plain-language README inside an export."""

from typing import Any

_PLURAL = {
    "tetrahedron": "tetrahedra",
    "pyramid": "pyramids",
    "prism": "prisms",
    "hexahedron": "hexahedra",
    "polyhedron": "polyhedra",
}


def _cells(by_shape: dict[str, int]) -> str:
    return ", ".join(f"{n:,} {_PLURAL[shape]}" for shape, n in by_shape.items())


def export_readme(name: str, report: dict[str, Any], case: dict[str, Any]) -> str:
    """What is what in the exported folder."""
    unit = report["unit"]
    skew = report["quality"]["equiangle_skewness"]
    lines = [
        f"{name}: mesh and case, exported by Intaglio",
        "",
        f"The mesh has {_cells(report['cells_by_shape'])} and {report['points']:,} points; "
        f"lengths are in {unit}.",
        f"Largest equiangle skewness {skew['max']:.3f}, mean {skew['mean']:.3f}.",
        "",
        "mesh.cgns      the mesh, with its patches as boundary conditions (CGNS standard, HDF5)",
        "mesh.vtu       the same mesh with quality values per cell, for any VTK-based viewer",
        "patches/*.stl  the surface of each patch, normals out of the fluid",
        "case.yaml      materials, the condition on each patch and what follows from it, SI units",
        "report.json    counts, patches, quality and checks, for programs",
        "",
        "Patches:",
    ]
    for patch, row in report["patches"].items():
        lines.append(
            f"  {patch:<20} {row['kind']:<9} {row['faces']:>9,} faces  {row['area']:.6g} {unit}²"
        )
    lines += ["", "Reynolds number at the inlets, on the hydraulic diameter:"]
    entered = {n: p["follows"] for n, p in case["patches"].items() if "follows" in p}
    for inlet, follows in entered.items():
        lines.append(f"  {inlet:<20} {follows['reynolds']['value']:,.0f}")
    if not entered:
        lines.append("  nothing enters")
    return "\n".join(lines) + "\n"
