"""A problem from the exported file, as an outside solver would read it: nothing else is known."""

from dataclasses import dataclass
from pathlib import Path

import h5py
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.errors import FileRejected, StepFailed
from intaglio.flow.conditions import PRESSURE, RATE, SLIP, TOTAL, VELOCITY, WALL, Conditions
from intaglio.flow.geometry import Volumes, volumes_of
from intaglio.flow.heat import HeatProblem
from intaglio.flow.heat_reading import computes_heat, read_heat
from intaglio.flow.momentum import Fluid
from intaglio.flow.operators import Operators, operators_of
from intaglio.flow.thickening import times_thicker
from intaglio.formats.cgns import read_case, read_cgns
from intaglio.formats.cgns.case_reading import CaseTold, PatchTold
from intaglio.formats.cgns.reading import conditions_of, read_zone
from intaglio.formats.cgns.spellings import children
from intaglio.mesh.mesh import PATCH_KINDS, Longs, Mesh, ragged_mean, rows
from intaglio.mesh.validity import check
from intaglio.units import MM_PER_UNIT

_SETTLED = {"symmetry": SLIP, "flat": SLIP}


@dataclass(frozen=True)
class Given:
    """A mesh, its case, the fluid's volumes with operators, conditions and fluid, by how much it is
    thicker than the case's; the problem of heat in all cells, where temperatures are asked for."""

    mesh: Mesh
    case: CaseTold
    ops: Operators
    held: Conditions
    fluid: Fluid
    heat: HeatProblem | None
    thicker: float = 1.0


def read_flow(path: Path, thicken: bool = False) -> Given:
    """Mesh and case of an exported CGNS file; thicken: take a turbulent case with a fluid so
    viscous that it is laminar. Raises FileRejected where something is missing or is nothing that
    this solver knows, StepFailed for a mesh that is not valid."""
    mesh, case = read_cgns(path), read_case(path)
    wrong = check(mesh)
    if wrong:
        words = " ".join(f.message for f in wrong)
        raise StepFailed("invalid", f"{path.name} is not valid: {words}", wrong[0].places)
    fluids = np.array([zone.kind == "fluid" for zone in mesh.zones])
    if not fluids.any():
        raise FileRejected("no-fluid", f"{path.name} has no zone that holds a fluid.")
    turbulent = False
    for zone in np.array(mesh.zones)[fluids]:
        turbulent |= case.zones[zone.name].words.get("GoverningEquations") != "NSLaminar"
        if turbulent and not thicken:
            raise FileRejected(
                "not-laminar",
                f"Zone {zone.name} of {path.name} is to be turbulent; this solver is laminar. Take "
                "the flow as laminar in Case, and export again.",
            )
        missing = {"Density", "ViscosityMolecular"} - set(case.zones[zone.name].state)
        if missing:
            raise FileRejected(
                "no-material", f"Zone {zone.name} of {path.name} tells no {sorted(missing)[0]}."
            )
        if case.zones[zone.name].rate is not None:
            raise FileRejected(
                "turning-zone", f"Zone {zone.name} turns, which this solver does not know."
            )
    metres = MM_PER_UNIT[mesh.unit] * 1e-3
    volumes = volumes_of(mesh, metres, fluids[mesh.zone])
    ops = operators_of(volumes)
    state = [case.zones[zone.name].state for zone in mesh.zones]
    of_cell = mesh.zone[volumes.cells]
    fluid = Fluid(
        *(
            np.array([s[name][0] if name in s else np.nan for s in state])[of_cell]
            for name in ("Density", "ViscosityMolecular")
        )
    )
    held = _conditions(path, mesh, case, volumes, fluid)
    thicker = times_thicker(volumes, held, fluid) if turbulent else 1.0
    fluid = Fluid(fluid.density, thicker * fluid.viscosity)
    heat = read_heat(path.name, mesh, case, metres) if computes_heat(case) else None
    return Given(mesh, case, ops, held, fluid, heat, thicker)


def _conditions(
    path: Path, mesh: Mesh, case: CaseTold, volumes: Volumes, fluid: Fluid
) -> Conditions:
    """What holds on every face of the rim."""
    r = volumes.rim
    patch = mesh.patch[r.face].astype(np.int64)
    if (patch < 0).any():
        raise FileRejected("no-patch", f"{path.name} has faces of the boundary on no patch.")
    b = len(patch)
    kind = np.full(b, WALL, np.int8)
    velocity, pressure, rate = np.zeros((b, 3)), np.zeros(b), np.zeros(b)
    elements = _elements(path, mesh)
    zone = mesh.zone[r.behind]
    for (zone_name, name), told in case.patches.items():
        k = next(n for n, p in enumerate(mesh.patches) if p.name == name)
        z = next(n for n, own in enumerate(mesh.zones) if own.name == zone_name)
        at = np.flatnonzero((patch == k) & (zone == z))
        if not len(at):
            continue
        own_kind = mesh.patches[k].kind
        order = _order(r.face[at], elements[zone_name, name])
        size = np.linalg.norm(r.area[at], axis=1)
        normal = r.area[at] / np.maximum(size, 1e-300)[:, None]
        if own_kind in _SETTLED:
            kind[at] = SLIP
        elif told.condition in ("speed", "velocity", "developed", "flow_rate", "mass_flow"):
            kind[at], velocity[at] = VELOCITY, _vector(told, order)
        elif told.condition == "stream":
            # held where it comes in; where it leaves its pressure holds
            velocity[at] = _vector(told, order)
            leaves = (velocity[at] * normal).sum(axis=1) > 0
            kind[at] = np.where(leaves, PRESSURE, VELOCITY)
            pressure[at] = told.fixed["Pressure"][0]
        elif told.condition == "pressure":
            kind[at], pressure[at] = PRESSURE, told.fixed["Pressure"][0]
        elif told.condition == "total_pressure":
            kind[at], pressure[at] = TOTAL, told.fixed["PressureStagnation"][0]
        elif told.condition == "mass_out":
            kind[at], rate[at] = RATE, told.fixed["MassFlowTotal"][0]
        elif told.condition == "slip":
            kind[at] = SLIP
        elif told.condition == "moving":
            velocity[at] = _vector(told, order)
        elif told.condition == "turning":
            velocity[at] = _turning(told, r.centre[at])
        elif own_kind not in ("wall", "interface"):
            raise FileRejected(
                "unknown",
                f"Patch {name} is {PATCH_KINDS[own_kind]} and says nothing that this solver knows. "
                "Give it a condition in Case, and export again.",
            )
    # a wall moves along itself, a face of a turning one too, though it is flat
    walls = kind == WALL
    size = np.maximum(np.linalg.norm(r.area, axis=1), 1e-300)
    normal = r.area / size[:, None]
    through = (velocity * normal).sum(axis=1)
    velocity[walls] -= through[walls, None] * normal[walls]
    return Conditions(kind, velocity, pressure, rate, patch, tuple(p.name for p in mesh.patches))


def _vector(told: PatchTold, order: Longs) -> NDArray[np.float64]:
    """Velocity (k, 3) of faces: one for all, or one for each in the order of the elements."""
    parts = [told.fixed[f"Velocity{axis}"] for axis in "XYZ"]
    return np.stack([p[order] if len(p) > 1 else np.full(len(order), p[0]) for p in parts], 1)


def _turning(told: PatchTold, centre: NDArray[np.float64]) -> NDArray[np.float64]:
    rate = np.radians([told.fixed[f"RotationRate{axis}"][0] for axis in "XYZ"])
    point = np.array([told.fixed[f"RotationCenter{axis}"][0] for axis in "XYZ"])
    return np.cross(rate, centre - point)


def _elements(path: Path, mesh: Mesh) -> dict[tuple[str, str], Longs]:
    """The mesh's faces (k,) of each patch at each zone in the order of the file's elements: data by
    face are in that order. Faces are known again by the mean of their nodes."""
    out = {}
    with h5py.File(path, "r") as file:
        base = next(children(file["/"], "CGNSBase_t"))
        for group in children(base, "Zone_t"):
            zone = read_zone(group)
            for patch, polygons in conditions_of(zone, group):
                k = next(n for n, p in enumerate(mesh.patches) if p.name == patch.name)
                faces = np.flatnonzero(mesh.patch == k)
                own = ragged_mean(*_placed(mesh.points, mesh.face_start, mesh.face_nodes, faces))
                start, nodes = rows(zone.polygons.start, zone.polygons.nodes, polygons)
                at = ragged_mean(start, zone.points[nodes])
                out[zone.title, patch.name] = faces[cKDTree(own).query(at)[1]]
    return out


def _placed(
    points: NDArray[np.float64], start: Longs, nodes: NDArray[np.int32], which: Longs
) -> tuple[Longs, NDArray[np.float64]]:
    own_start, own = rows(start, nodes, which)
    return own_start, points[own]


def _order(faces: Longs, elements: Longs) -> Longs:
    """The place of each face (k,) among the elements."""
    order = np.argsort(elements, kind="stable")
    return order[np.searchsorted(elements[order], faces)]
