"""A flow along a line: in the cells that it passes, linear between their middles' values by slopes
of their neighbours'."""

from dataclasses import dataclass

import numpy as np

from intaglio.flow.geometry import face_vectors
from intaglio.mesh.mesh import Floats, Longs, Mesh, cell_middles, rows
from intaglio.parts.kind import Arrays

# cells are looked through with a margin of this share of the line's length
_MARGIN = 1e-6


@dataclass(frozen=True)
class Profile:
    """Along a line: distance (k,) from its start in the mesh's unit, velocity (k, 3) in m/s,
    pressure (k,) in Pa and temperature (k,) in K; nan outside of the flow."""

    distance: Floats
    velocity: Floats
    pressure: Floats
    temperature: Floats


def profile(mesh: Mesh, arrays: Arrays, start: Floats, end: Floats, count: int) -> Profile:
    """The fields of a proof at `count` places evenly from start to end (3,), in the mesh's unit."""
    share = np.linspace(0.0, 1.0, count)[:, None]
    places = (1.0 - share) * start + share * end
    known = np.isfinite(arrays["pressure"])
    cell = cells_at(mesh, places, known)
    velocity = np.full((count, 3), np.nan)
    pressure, temperature = np.full(count, np.nan), np.full(count, np.nan)
    at = np.flatnonzero(cell >= 0)
    if len(at):
        own, back = np.unique(cell[at], return_inverse=True)
        values = np.column_stack([arrays["velocity"], arrays["pressure"]]).astype(float)
        rim = np.column_stack([arrays["rim_velocity"], arrays["rim_pressure"]]).astype(float)
        slope, middle = _slopes(mesh, own, values, arrays["rim_face"], arrays["rim_cell"], rim)
        got = values[cell[at]] + np.einsum("kca,ka->kc", slope[back], places[at] - middle[back])
        velocity[at], pressure[at] = got[:, :3], got[:, 3]
    if "temperature" in arrays:
        cell = cells_at(mesh, places, np.isfinite(arrays["temperature"]))
        at = np.flatnonzero(cell >= 0)
        temperature[at] = arrays["temperature"][cell[at]]
    length = float(np.linalg.norm(end - start))
    return Profile(share[:, 0] * length, velocity, pressure, temperature)


def cells_at(mesh: Mesh, places: Floats, known: np.ndarray) -> Longs:
    """The cell (k,) around each of places (k, 3) on a line, among those that are known (c,); -1
    where there is none."""
    near = _passed(mesh, places[0], places[-1])
    near = near[known[near]]
    out = np.full(len(places), -1, np.int64)
    if not len(near):
        return out
    cell, face, sign = _faces_around(mesh, near)
    vector, centre = face_vectors(mesh)
    # a place is in a cell where it lies behind all of its faces' planes; the deepest counts
    height = (places @ vector[face].T - (centre[face] * vector[face]).sum(axis=1)) * sign
    height /= np.maximum(np.linalg.norm(vector[face], axis=1), 1e-300)
    first = np.flatnonzero(np.diff(cell, prepend=-1))
    most = np.maximum.reduceat(height, first, axis=1)
    best = most.argmin(axis=1)
    margin = _MARGIN * float(np.linalg.norm(places[-1] - places[0]))
    inside = most[np.arange(len(places)), best] <= margin
    out[inside] = near[cell[first][best[inside]]]
    return out


def _passed(mesh: Mesh, start: Floats, end: Floats) -> Longs:
    """Cells whose boxes a line passes."""
    points = mesh.points[mesh.cell_nodes]
    low = np.minimum.reduceat(points, mesh.cell_start[:-1])
    high = np.maximum.reduceat(points, mesh.cell_start[:-1])
    way = end - start
    margin = _MARGIN * float(np.linalg.norm(way))
    enter, leave = np.zeros(len(low)), np.ones(len(low))
    for a in range(3):
        one, other = low[:, a] - margin - start[a], high[:, a] + margin - start[a]
        if way[a] == 0.0:
            leave[(one > 0) | (other < 0)] = -1.0
            continue
        one, other = one / way[a], other / way[a]
        enter = np.maximum(enter, np.minimum(one, other))
        leave = np.minimum(leave, np.maximum(one, other))
    return np.flatnonzero(enter <= leave)


def _faces_around(mesh: Mesh, cells: Longs) -> tuple[Longs, Longs, Floats]:
    """Every face of cells (k,): the cell's place among them, in order, the face, and the sign of
    its vector outward."""
    place = np.full(mesh.cells + 1, -1, np.int64)
    place[cells] = np.arange(len(cells))
    of_owner = np.flatnonzero(place[mesh.owner] >= 0)
    of_other = np.flatnonzero(place[mesh.neighbour] >= 0)
    cell = np.concatenate([place[mesh.owner[of_owner]], place[mesh.neighbour[of_other]]])
    face = np.concatenate([of_owner, of_other])
    sign = np.repeat([1.0, -1.0], [len(of_owner), len(of_other)])
    order = np.argsort(cell, kind="stable")
    return cell[order], face[order], sign[order]


def _slopes(
    mesh: Mesh, cells: Longs, values: Floats, rim_face: Longs, rim_cell: Longs, rim: Floats
) -> tuple[Floats, Floats]:
    """Slopes (k, m, 3) of values (c, m) in cells (k,) by least squares over their neighbours and
    the rim (b, m), and the cells' middles (k, 3), in the mesh's unit."""
    cell, face, _ = _faces_around(mesh, cells)
    other = np.where(mesh.owner[face] == cells[cell], mesh.neighbour[face], mesh.owner[face])
    middle = cell_middles(mesh, cells)
    inner = (other >= 0) & (mesh.patch[face] < 0)
    # those beyond a face, and those on it where it is the flow's rim
    beyond = cell_middles(mesh, other[inner])
    mine = np.flatnonzero(np.isin(rim_cell, cells))
    start, nodes = rows(mesh.face_start, mesh.face_nodes, rim_face[mine])
    on_rim = np.add.reduceat(mesh.points[nodes], start[:-1], axis=0) if len(mine) else beyond[:0]
    on_rim = on_rim / np.maximum(np.diff(start), 1)[:, None]
    place = np.concatenate([cell[inner], np.searchsorted(cells, rim_cell[mine])])
    way = np.concatenate([beyond, on_rim]) - middle[place]
    step = np.concatenate([values[other[inner]], rim[mine]]) - values[cells][place]
    good = np.isfinite(step).all(axis=1)
    place, way, step = place[good], way[good], step[good]
    weight = 1.0 / np.maximum((way**2).sum(axis=1), 1e-300)
    moment, right = np.zeros((len(cells), 3, 3)), np.zeros((len(cells), values.shape[1], 3))
    np.add.at(moment, place, weight[:, None, None] * way[:, :, None] * way[:, None, :])
    np.add.at(right, place, weight[:, None, None] * step[:, :, None] * way[:, None, :])
    inverse = np.linalg.pinv(moment, rcond=1e-10, hermitian=True)
    return np.einsum("kij,kcj->kci", inverse, right), middle
