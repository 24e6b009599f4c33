"""The case: fluid, conditions per patch, Reynolds number, and checks against the mesh."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from intaglio.findings import Finding
from intaglio.mesh.mesh import Mesh
from intaglio.units import MM_PER_UNIT


@dataclass(frozen=True)
class Inlet:
    """An inlet in SI units: area m², hydraulic diameter 4A/P m, Reynolds number on it."""

    name: str
    area: float
    hydraulic_diameter: float
    reynolds: float


def metres(unit: str) -> float:
    """Length of a unit in metres."""
    return MM_PER_UNIT[unit] * 1e-3


def reynolds(density: float, velocity: float, length: float, viscosity: float) -> float:
    """ρ v L / μ in SI units."""
    return density * abs(velocity) * length / viscosity


def inlets(
    patches: Sequence[Mapping[str, Any]],
    unit: str,
    density: float,
    viscosity: float,
    velocity: float,
) -> list[Inlet]:
    """Inlets from patches with kind, area (unit²) and perimeter (unit)."""
    scale = metres(unit)
    out = []
    for p in patches:
        if p["kind"] != "inlet" or p["area"] <= 0:
            continue
        area = p["area"] * scale**2
        width = 4 * area / (p["perimeter"] * scale) if p["perimeter"] > 0 else math.sqrt(area)
        out.append(Inlet(p["name"], area, width, reynolds(density, velocity, width, viscosity)))
    return out


def findings(mesh_patches: Sequence[Mapping[str, Any]]) -> list[Finding]:
    """What does not fit between the case and the patches."""
    kinds = [p["kind"] for p in mesh_patches]
    out = []
    if "inlet" not in kinds:
        out.append(
            Finding(
                "no-inlet",
                "caution",
                "No patch is an inlet, so nothing drives the flow.",
                advice="Name one in Patches.",
            )
        )
    if "outlet" not in kinds:
        out.append(
            Finding(
                "no-outlet",
                "caution",
                "No patch is an outlet, so the pressure is not fixed.",
                advice="Name one in Patches.",
            )
        )
    return out


def case_document(
    mesh: Mesh, patches: Sequence[Mapping[str, Any]], settings: dict[str, Any], name: str
) -> dict[str, Any]:
    """The content of case.yaml, in SI units but for lengths of the mesh, which are in its unit."""
    conditions: dict[str, Any] = {}
    for p in patches:
        condition: dict[str, Any] = {"kind": p["kind"], "faces": p["faces"]}
        if p["kind"] == "inlet":
            condition["velocity"] = {"normal": settings["velocity"], "unit": "m/s"}
        elif p["kind"] == "outlet":
            condition["pressure"] = {"value": settings["pressure"], "unit": "Pa"}
        elif p["kind"] == "wall":
            condition["velocity"] = {"no_slip": True}
        conditions[p["name"]] = condition
    return {
        "case": 1,
        "name": name,
        "mesh": {"file": "mesh.cgns", "unit": mesh.unit, "metres_per_unit": metres(mesh.unit)},
        "fluid": {
            "density": {"value": settings["density"], "unit": "kg/m³"},
            "viscosity": {"value": settings["viscosity"], "unit": "Pa·s"},
        },
        "patches": conditions,
        "inlets": {
            i.name: {
                "area_m2": i.area,
                "hydraulic_diameter_m": i.hydraulic_diameter,
                "reynolds": i.reynolds,
            }
            for i in inlets(
                patches, mesh.unit, settings["density"], settings["viscosity"], settings["velocity"]
            )
        },
    }
