"""What comes out of a flow, patch by patch, and along a line."""

from typing import TypedDict

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.flow.heat import Warmth
from intaglio.flow.momentum import Field
from intaglio.flow.reading import Given
from intaglio.flow.solve import Problem
from intaglio.mesh.mesh import Floats, Mesh, fan, rows, turned_rows
from intaglio.numeric.winding import winding_numbers
from intaglio.units import MM_PER_UNIT

# places on the boundary are looked at so far towards the nearest cell
_INWARD = 1e-6


class PatchResult(TypedDict):
    """Volume flow out in m³/s, mass flow out in kg/s, mean pressure in Pa, force of the fluid in N
    (pressure and friction), mean wall shear in Pa."""

    flow_rate: float
    mass_flow: float
    mean_pressure: float
    force: list[float]
    mean_shear: float


def patch_results(problem: Problem, field: Field) -> dict[str, PatchResult]:
    """Results of every patch that the fluid touches."""
    v, held = problem.ops.volumes, problem.held
    r = v.rim
    count = len(v.links.left)
    size = np.linalg.norm(r.area, axis=1)
    shear = wall_shear(problem, field)
    out: dict[str, PatchResult] = {}
    for k, name in enumerate(held.names):
        at = np.flatnonzero(held.patch == k)
        if not len(at):
            continue
        flux = field.flux[count:][at]
        push = field.rim_pressure[at, None] * r.area[at]
        drag = shear[at] * size[at, None]
        out[name] = {
            "flow_rate": float((flux / problem.fluid.density[r.cell[at]]).sum()),
            "mass_flow": float(flux.sum()),
            "mean_pressure": float(np.average(field.rim_pressure[at], weights=size[at])),
            "force": (push + drag).sum(axis=0).tolist(),
            "mean_shear": float(np.average(np.linalg.norm(shear[at], axis=1), weights=size[at])),
        }
    return out


class PatchHeat(TypedDict):
    """Heat in W from the patch into the cells, conducted and carried (from the reference of the
    temperatures on); of a patch between zones what passes from one side to the other. Mean
    temperature in K, and that of what flows through, mixed, if anything does."""

    heat: float
    mean_temperature: float
    mixed_temperature: float | None


def patch_heat(given: Given, warmth: Warmth) -> dict[str, PatchHeat]:
    """Heat of every patch."""
    assert given.heat is not None
    v = given.heat.ops.volumes
    r, zone = v.rim, given.mesh.zone[v.cells]
    patch, size = given.mesh.patch[r.face], np.linalg.norm(r.area, axis=1)
    out: dict[str, PatchHeat] = {}
    for k, known in enumerate(given.mesh.patches):
        at = np.flatnonzero(patch == k)
        if not len(at):
            continue
        rate = warmth.rate[at]
        flows = float(np.abs(rate).sum())
        above = -float((warmth.carried[at] * np.sign(rate)).sum())
        out[known.name] = {
            "heat": _passing(zone[r.cell[at]], warmth.conducted[at])
            if known.kind == "interface"
            else float((warmth.conducted[at] + warmth.carried[at]).sum()),
            "mean_temperature": float(np.average(warmth.rim[at], weights=size[at])),
            "mixed_temperature": warmth.reference + above / flows if flows > 0 else None,
        }
    return out


def _passing(zone: NDArray[np.int32], conducted: Floats) -> float:
    """What passes between zones, of heat into cells of zones: half of what these take and give."""
    return 0.5 * float(np.abs(np.bincount(zone, conducted)).sum())


def heat_balance(warmth: Warmth, heat: dict[str, PatchHeat], mesh: Mesh) -> float:
    """What heat goes in and not out, over what passes through the outer patches."""
    outer = [heat[p.name]["heat"] for p in mesh.patches if p.kind != "interface" and p.name in heat]
    passing = 0.5 * sum(abs(own) for own in outer)
    net = float((warmth.conducted + warmth.carried).sum())
    return net / passing if passing > 0 else 0.0


def wall_shear(problem: Problem, field: Field) -> Floats:
    """Friction (b, 3) in Pa of the fluid on faces of the rim that have a velocity; else none."""
    r, held = problem.ops.volumes.rim, problem.held
    size = np.maximum(np.linalg.norm(r.area, axis=1), 1e-300)
    normal = r.area / size[:, None]
    slip = field.velocity[r.cell] - field.rim_velocity
    along = slip - (slip * normal).sum(axis=1)[:, None] * normal
    away = np.maximum((r.way * normal).sum(axis=1), 1e-300)
    friction = problem.fluid.viscosity[r.cell, None] * along / away[:, None]
    return np.where(held.given[:, None], friction, 0.0)


def in_fluid(given: Given, places: Floats) -> NDArray[np.bool_]:
    """Whether places (k, 3) in m lie in the cells that the flow is computed in, or on their
    boundary: by winding numbers of its faces."""
    v, mesh = given.ops.volumes, given.mesh
    start, nodes = rows(mesh.face_start, mesh.face_nodes, v.rim.face)
    # of a face between two zones the fluid may be in front
    inward = v.rim.behind != mesh.owner[v.rim.face]
    triangles, _ = fan(start, turned_rows(start, nodes, inward))
    metres = MM_PER_UNIT[mesh.unit] * 1e-3
    # what lies on the boundary but for rounding is in
    nearest = v.centroid[cKDTree(v.centroid).query(places)[1]]
    spots = places + _INWARD * (nearest - places)
    used, own = np.unique(triangles, return_inverse=True)
    corners = own.reshape(-1, 3).astype(np.int32)
    return np.asarray(winding_numbers(metres * mesh.points[used], corners, spots) > 0.5)


def along_line(problem: Problem, field: Field, places: Floats) -> tuple[Floats, Floats]:
    """Velocity (k, 3) and pressure (k,) at places (k, 3) in m: of the cell whose centroid is
    nearest, carried on by its gradient."""
    ops = problem.ops
    at = cKDTree(ops.volumes.centroid).query(places)[1]
    way = places - ops.volumes.centroid[at]
    turning = ops.gradient(field.velocity, field.rim_velocity)[at]
    velocity = field.velocity[at] + np.einsum("kca,ka->kc", turning, way)
    slope = ops.gradient(field.pressure, field.rim_pressure)
    return velocity, field.pressure[at] + (slope[at] * way).sum(axis=1)
