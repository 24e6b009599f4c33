"""The plain-language README inside an export."""

from collections.abc import Mapping, Sequence
from typing import Any

from intaglio.handover.parts import ALWAYS, CHOSEN
from intaglio.mesh.cells import SHAPES

_PLURAL = {shape.name: shape.plural for shape in SHAPES}


def _cells(by_shape: dict[str, int]) -> str:
    return ", ".join(f"{n:,} {_PLURAL[shape]}" for shape, n in by_shape.items())


def export_readme(
    name: str, report: Mapping[str, Any], case: Mapping[str, Any], chosen: Sequence[str]
) -> str:
    """What is what in the exported folder; chosen: keys of the parts that are in it."""
    unit = report["unit"]
    skew = report["quality"]["equiangle_skewness"]
    lines = [
        f"{name}: mesh and case, exported by Intaglio",
        "",
        f"The mesh has {_cells(report['cells_by_shape'])} and {report['points']:,} points; "
        f"lengths are in {unit}.",
        f"Largest equiangle skewness {skew['max']:.3f}, mean {skew['mean']:.3f}.",
        "",
        *(
            f"{part.file:<14} {part.about}"
            for part in (*CHOSEN, *ALWAYS)
            if part.key in chosen or (part in ALWAYS and part.key != "words")
        ),
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
