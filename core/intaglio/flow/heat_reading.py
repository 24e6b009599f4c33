"""What an exported file tells of heat."""

import numpy as np

from intaglio.errors import FileRejected
from intaglio.flow.conditions import (
    CARRIED,
    CLOSED,
    COUPLED,
    HELD,
    PASSES,
    TAKES,
    HeatConditions,
)
from intaglio.flow.geometry import Rim, volumes_of
from intaglio.flow.heat import HeatProblem
from intaglio.flow.operators import operators_of
from intaglio.formats.cgns.case_reading import CaseTold, PatchTold
from intaglio.mesh.mesh import Longs, Mesh

# the standard's names of what a zone's material tells
_CAPACITY, _CONDUCTIVITY = "SpecificHeatPressure", "ThermalConductivity"


def computes_heat(case: CaseTold) -> bool:
    """Whether temperatures are asked for."""
    return any("ThermalConductivityModel" in zone.words for zone in case.zones.values())


def read_heat(name: str, mesh: Mesh, case: CaseTold, metres: float) -> HeatProblem:
    """The problem of heat in all cells of a mesh whose unit is `metres` long; name: of the file.
    Raises FileRejected where a material does not tell what it needs."""
    for zone in mesh.zones:
        missing = {_CAPACITY, _CONDUCTIVITY} - set(case.zones[zone.name].state)
        if missing:
            raise FileRejected(
                "no-material", f"Zone {zone.name} of {name} tells no {sorted(missing)[0]}."
            )
    ops = operators_of(volumes_of(mesh, metres, np.ones(mesh.cells, bool)))
    of_cell = mesh.zone[ops.volumes.cells]
    states = [case.zones[zone.name].state for zone in mesh.zones]
    capacity, conductivity, usual = (
        np.array([s[key][0] if key in s else 293.15 for s in states])[of_cell]
        for key in (_CAPACITY, _CONDUCTIVITY, "Temperature")
    )
    held = _conditions(mesh, case, ops.volumes.rim, usual)
    return HeatProblem(ops, held, capacity, conductivity, usual)


def _conditions(mesh: Mesh, case: CaseTold, r: Rim, usual: np.ndarray) -> HeatConditions:
    """What holds for heat on every face of the rim."""
    b = len(r.face)
    kind = np.full(b, CLOSED, np.int8)
    temperature, flux, coefficient = usual[r.cell].copy(), np.zeros(b), np.zeros(b)
    beyond = other_sides(r)
    patch, zone = mesh.patch[r.face], mesh.zone[r.behind]
    zones = [z.name for z in mesh.zones]
    names = [p.name for p in mesh.patches]
    for (zone_name, name), told in case.patches.items():
        at = np.flatnonzero((patch == names.index(name)) & (zone == zones.index(zone_name)))
        own_kind = mesh.patches[names.index(name)].kind
        if own_kind == "interface":
            kind[at] = np.where(beyond[at] >= 0, COUPLED, CLOSED)
        elif own_kind == "wall":
            kind[at] = _of_wall(told)
            temperature[at] = told.fixed.get("Temperature", temperature[at])
            temperature[at] = told.passing.get("TemperatureAround", temperature[at])
            flux[at] = told.passing.get("HeatFlux", flux[at])
            coefficient[at] = told.passing.get("HeatTransferCoefficient", coefficient[at])
        elif own_kind not in ("symmetry", "flat"):
            kind[at] = CARRIED
            temperature[at] = told.fixed.get("Temperature", temperature[at])
    return HeatConditions(kind, temperature, flux, coefficient, beyond)


def _of_wall(told: PatchTold) -> int:
    if "Temperature" in told.fixed:
        return HELD
    if "HeatTransferCoefficient" in told.passing:
        return PASSES
    return TAKES if told.passing.get("HeatFlux", np.zeros(1)).any() else CLOSED


def other_sides(r: Rim) -> Longs:
    """Of each face of the rim (b,) the one of the cell behind it; -1 where there is none."""
    order = np.argsort(r.face, kind="stable")
    same = np.flatnonzero(r.face[order[1:]] == r.face[order[:-1]])
    out = np.full(len(r.face), -1, np.int64)
    out[order[same]], out[order[same + 1]] = order[same + 1], order[same]
    return out
