"""What a case comes to before there is a mesh: inflows, materials, and what does not fit."""

import math
from collections.abc import Mapping, Sequence
from typing import Any

from intaglio.case.back import worked_back
from intaglio.case.checks import checks
from intaglio.case.setup import CaseSetup, metres, set_up
from intaglio.stages.case.report import InflowRow, ZoneMaterialRow

Report = Mapping[str, Any]


def bounded_patches(
    domain: Report, patches: Report, meshed: Sequence[Mapping[str, Any]] = ()
) -> list[dict[str, Any]]:
    """Rows of patches with area, rim (0 until a mesh tells it), the zones that they bound and their
    area as a vector."""
    names = [zone["name"] for zone in domain["zones"]]
    faces = {face["id"]: face for face in domain["faces"]}
    zones_of = {name: face.get("zones") or [0] for name, face in faces.items()}
    rims = {row["name"]: row for row in meshed}
    out = []
    for patch in patches["patches"]:
        if not patch["faces"]:
            continue
        own = sorted({zone for face in patch["faces"] for zone in zones_of.get(face, [0])})
        row = rims.get(patch["name"])
        out.append(
            {
                "name": patch["name"],
                "kind": patch["kind"],
                "area": row["area"] if row else patch["area"],
                "perimeter": row["perimeter"] if row else 0.0,
                "zones": [names[zone] for zone in own if 0 <= zone < len(names)],
                "facing": facing_of(patch, faces),
            }
        )
    return out


def facing_of(patch: Mapping[str, Any], faces: Mapping[str, Any]) -> list[float]:
    """The patch's area as a vector out of the fluid, from its faces by name; zero where some are
    not plane."""
    own = [faces[face] for face in patch["faces"] if face in faces]
    if len(own) < len(patch["faces"]) or any(face["surface"] != "plane" for face in own):
        return [0.0, 0.0, 0.0]
    return [sum(face["area"] * face["normal"][k] for face in own) for k in range(3)]


def foretold(
    settings: Mapping[str, Any],
    domain: Report,
    patches: Report,
    meshed: Sequence[Mapping[str, Any]] = (),
) -> dict[str, Any]:
    """Inflows, materials and findings of a case as its settings stand. Raises SettingRejected."""
    case = case_of(settings, domain, patches, meshed)
    return {
        "inlets": inflow_rows(case),
        "materials": material_rows(case),
        "findings": [f.as_dict() for f in checks(case, settings, {}, {})],
    }


def back(
    settings: Mapping[str, Any],
    domain: Report,
    patches: Report,
    meshed: Sequence[Mapping[str, Any]] = (),
    *,
    patch: str,
    reynolds: float,
    length: float,
    what: str,
) -> dict[str, list[dict[str, Any]]]:
    """What `worked_back` gives, for a length in the model's unit."""
    case = case_of(settings, domain, patches, meshed)
    return worked_back(settings, case, patch, reynolds, length * metres(domain["unit"]), what)


def case_of(
    settings: Mapping[str, Any],
    domain: Report,
    patches: Report,
    meshed: Sequence[Mapping[str, Any]] = (),
) -> CaseSetup:
    """The case as its settings stand. Raises SettingRejected."""
    zones = {zone["name"]: zone["kind"] for zone in domain["zones"]}
    return set_up(settings, zones, bounded_patches(domain, patches, meshed), domain["unit"])


def inflow_rows(case: CaseSetup) -> list[InflowRow]:
    """What enters through each patch that lets something in."""
    return [
        {
            "name": patch.name,
            "area": patch.area,
            "hydraulic_diameter": i.diameter,
            "reynolds": i.reynolds,
            "mach": i.mach if math.isfinite(i.mach) else 0.0,
            "speed": i.speed,
            "volume_flow": i.volume,
            "mass_flow": i.mass,
            "intensity": i.intensity,
            "eddies": i.eddies,
        }
        for patch in case.patches
        if (i := patch.inflow) is not None
    ]


def material_rows(case: CaseSetup) -> list[ZoneMaterialRow]:
    """What each zone holds."""
    return [
        {
            "name": zone.name,
            "material": zone.material,
            "density": zone.properties.density,
            "viscosity": zone.properties.viscosity,
            "heat_capacity": zone.properties.heat_capacity,
            "conductivity": zone.properties.conductivity,
        }
        for zone in case.zones
    ]
