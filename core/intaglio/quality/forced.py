"""Bad cells that the input forces: at edges where faces meet sharply, at sliver triangles.

Between two faces that meet at 5 degrees every tetrahedron has an angle of 5 degrees or less,
however it is meshed. Such cells are told apart from those that a better mesh could avoid.
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.mesh.cells import TETRAHEDRON
from intaglio.mesh.loading import cell_room, load_cell, raw_arrays, room_for
from intaglio.mesh.mesh import Mesh, fan, following, rows
from intaglio.quality.cells import edge_opening, opening_degrees, unit_normals
from intaglio.quality.triangles import triangle_angles

SHARP = 35.0
THIN = 18.0


@dataclass(frozen=True)
class Forced:
    """Cells (n,) and why: patches (n, 2) of the two faces that meet there, or the one of a sliver
    triangle twice; angle (n,) between the faces, or the triangle's least, in degrees;
    place (n, 3) of the edge or triangle; sharp (n,) whether it is an edge."""

    cells: NDArray[np.int64]
    patches: NDArray[np.int32]
    angle: NDArray[np.float64]
    place: NDArray[np.float64]
    sharp: NDArray[np.bool_]


@njit(cache=True)
def _edges_of(raw, cells, most, ends, angle, cell_of):
    """Edges of cells: their nodes, the dihedral angle in degrees, and the cell; how many. Only
    counted if `angle` is empty."""
    cell = cell_room(most[0], most[1], most[2])
    normal = np.empty((most[1], 3))
    count = 0
    for c in cells:
        _, faces, edges = load_cell(raw, c, cell)
        if angle.shape[0] == 0:
            count += max(edges, 0)
            continue
        unit_normals(cell, faces, normal)
        for e in range(edges):
            ends[count, 0] = cell.node[cell.edge[e, 0]]
            ends[count, 1] = cell.node[cell.edge[e, 1]]
            angle[count] = opening_degrees(edge_opening(cell, normal, e))
            cell_of[count] = c
            count += 1
    return count


def edges_of_cells(
    mesh: Mesh, cells: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.int64]]:
    """Nodes (e, 2), dihedral angle (e,) in degrees and cell (e,) of every edge of cells (k,)."""
    raw = raw_arrays(mesh)
    most = room_for(mesh, raw)
    none = np.zeros((0, 2), np.int64)
    count = _edges_of(raw, cells, most, none, np.zeros(0), none[:, 0].copy())
    ends, angle = np.empty((count, 2), np.int64), np.empty(count)
    cell_of = np.empty(count, np.int64)
    if count:
        _edges_of(raw, cells, most, ends, angle, cell_of)
    return ends, angle, cell_of


def _cells_at(mesh: Mesh, marked: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Cells with a marked node."""
    hit = np.add.reduceat(marked[mesh.cell_nodes], mesh.cell_start[:-1])
    return np.flatnonzero(hit)


def forced_cells(mesh: Mesh, bad: NDArray[np.int64]) -> Forced:
    """Those of the cells `bad` that touch an edge where the boundary's faces meet at less than
    SHARP degrees, or a boundary triangle with an angle under THIN degrees."""
    n = np.int64(len(mesh.points))
    bad_start, bad_nodes = rows(mesh.cell_start, mesh.cell_nodes, bad)
    near = np.zeros(n, bool)
    near[bad_nodes] = True
    rim = np.flatnonzero(mesh.patch >= 0)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, rim)
    rim = rim[np.add.reduceat(near[nodes], start[:-1]) > 0] if len(rim) else rim
    start, nodes = rows(mesh.face_start, mesh.face_nodes, rim)
    after = following(start, nodes)
    low_end, high_end = np.minimum(nodes, after), np.maximum(nodes, after)
    keys, owner = np.unique(low_end * n + high_end, return_inverse=True)
    # each zone has its own angle at an edge: the cells of one zone around it make it up
    ends, angle, cell = edges_of_cells(mesh, _cells_at(mesh, near))
    code = ends.min(axis=1) * n + ends.max(axis=1)
    spot = np.minimum(np.searchsorted(keys, code), max(len(keys) - 1, 0))
    on_rim = keys[spot] == code if len(keys) else np.zeros(code.shape, bool)
    zones = len(mesh.zones)
    slot = spot * zones + mesh.zone[cell]
    opening = np.bincount(slot[on_rim], angle[on_rim], len(keys) * zones).reshape(-1, zones)
    opening[opening == 0.0] = 360.0
    patch = np.repeat(mesh.patch[rim], np.diff(start))
    low, high = np.full(len(keys), 1 << 30), np.full(len(keys), -1)
    np.minimum.at(low, owner.ravel(), patch)
    np.maximum.at(high, owner.ravel(), patch)
    # what is sharpest at each node: an edge or a thin triangle
    triangles, polygon = fan(start, nodes)
    # only true triangles force anything: parts of wider faces are no cells' faces
    own = np.flatnonzero(np.diff(start)[polygon] == 3)
    triangles, polygon = triangles[own], polygon[own]
    least = triangle_angles(mesh.points, triangles).min(axis=1) if len(own) else np.zeros(0)
    edge_ends = np.stack([keys // n, keys % n], axis=1)
    sharpest = opening.min(axis=1) if len(keys) else np.zeros(0)
    reasons: list[tuple[NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any], bool]] = [
        (sharpest / SHARP, sharpest, edge_ends, np.stack([low, high], 1), True),
        (least / THIN, least, triangles, np.repeat(mesh.patch[rim][polygon][:, None], 2, 1), False),
    ]
    score = np.full(n, np.inf)
    best = np.zeros(n, np.int64)
    causes: list[tuple[float, NDArray[np.int32], NDArray[np.float64], bool]] = []
    for weight, size, at, patches, is_edge in reasons:
        for k in np.flatnonzero(weight < 1.0):
            held = at[k]
            closer = held[weight[k] < score[held]]
            score[closer], best[closer] = weight[k], len(causes)
            causes.append((size[k], patches[k], mesh.points[at[k]].mean(axis=0), is_edge))
    which = np.full(len(bad), -1)
    for row, (a, b) in enumerate(pairwise(bad_start.tolist())):
        own = bad_nodes[a:b]
        sharpest_node = own[score[own].argmin()]
        if np.isfinite(score[sharpest_node]):
            which[row] = best[sharpest_node]
    hit = which >= 0
    return Forced(
        bad[hit],
        np.array([causes[k][1] for k in which[hit]], np.int32).reshape(-1, 2),
        np.array([causes[k][0] for k in which[hit]], float),
        np.array([causes[k][2] for k in which[hit]], float).reshape(-1, 3),
        np.array([causes[k][3] for k in which[hit]], bool),
    )


def spanning_cells(mesh: Mesh, bad: NDArray[np.int64]) -> NDArray[np.int64]:
    """Those of the cells `bad` that have all their nodes on the boundary."""
    if not len(bad):
        return bad
    on_rim = np.zeros(len(mesh.points), bool)
    on_rim[rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(mesh.patch >= 0))[1]] = True
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, bad)
    return bad[np.logical_and.reduceat(on_rim[nodes], start[:-1])]


def heights(mesh: Mesh, cells: NDArray[np.int64], volume: NDArray[np.float64]) -> NDArray[Any]:
    """Width (n,) of flat cells. Of a tetrahedron the least distance between opposite edges or
    between a node and its opposite face; of others the volume over half their surface, which is
    the thickness of a plate. volume (c,) of all the mesh's cells."""
    out = np.empty(len(cells))
    tets = mesh.shape[cells] == TETRAHEDRON
    if tets.any():
        _, nodes = rows(mesh.cell_start, mesh.cell_nodes, cells[tets])
        out[tets] = _tet_heights(mesh.points[nodes.reshape(-1, 4)])
    rest = np.flatnonzero(~tets)
    if len(rest):
        triangles, polygon = fan(mesh.face_start, mesh.face_nodes)
        p = mesh.points[triangles]
        part = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
        area = np.bincount(polygon, part, mesh.faces)
        inner = mesh.neighbour >= 0
        total = np.bincount(mesh.owner, area, mesh.cells)
        total += np.bincount(mesh.neighbour[inner], area[inner], mesh.cells)
        out[rest] = 2.0 * np.abs(volume[cells[rest]]) / total[cells[rest]]
    return out


def _tet_heights(corner: NDArray[np.float64]) -> NDArray[np.float64]:
    a, b, c, d = (corner[:, i] for i in range(4))
    six = np.abs(np.einsum("ki,ki->k", np.cross(b - a, c - a), d - a))
    directions = [
        np.cross(b - a, d - c),
        np.cross(c - a, d - b),
        np.cross(d - a, c - b),
        *(np.cross(q - p, r - p) for p, q, r in ((b, c, d), (a, c, d), (a, b, d), (a, b, c))),
    ]
    longest = np.max([np.linalg.norm(n, axis=1) for n in directions], axis=0)
    return six / np.where(longest > 0, longest, 1.0)
