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
        "case.yaml      fluid and the condition on each patch, SI units",
        "report.json    counts, patches, quality and checks, for programs",
        "",
        "Patches:",
    ]
    for patch, row in report["patches"].items():
        lines.append(
            f"  {patch:<20} {row['kind']:<9} {row['faces']:>9,} faces  {row['area']:.6g} {unit}²"
        )
    lines += ["", "Reynolds number at the inlets, on the hydraulic diameter:"]
    for inlet, row in case["inlets"].items():
        lines.append(f"  {inlet:<20} {row['reynolds']:,.0f}")
    if not case["inlets"]:
        lines.append("  no inlet")
    return "\n".join(lines) + "\n"
