"""Bad cells that the input forces: at edges where faces meet sharply, in sharp corners of a face,
on strips of faces narrower than the edges of the mesh.

Between two faces that meet at 5 degrees every tetrahedron has an angle of 5 degrees or less,
however it is meshed. Such cells are told apart from those that a better mesh could avoid. A thin
triangle is the input's only where the borders of its face make it so; others are the mesh's own,
as beside layers that end at a face.
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from intaglio.mesh.cells import TETRAHEDRON
from intaglio.mesh.loading import cell_room, load_cell, raw_arrays, room_for
from intaglio.mesh.mesh import Mesh, fan, following, rows
from intaglio.quality.cells import edge_opening, opening_degrees, unit_normals
from intaglio.quality.triangles import triangle_angles

SHARP = 35.0
THIN = 18.0
# what forces cells: an edge, a corner of a face, a strip of it
EDGE, CORNER, STRIP = range(3)
# an edge at which the boundary bends by less than this, in degrees, borders no face
_BEND = 30.0


@dataclass(frozen=True)
class Forced:
    """Cells (n,) and why: kind (n,): EDGE, CORNER or STRIP; patches (n, 2) of the two faces that
    meet there, or the one of a thin triangle twice; angle (n,) between the faces, of the corner, or
    the triangle's least, in degrees; place (n, 3) of the edge or triangle."""

    cells: NDArray[np.int64]
    patches: NDArray[np.int32]
    angle: NDArray[np.float64]
    place: NDArray[np.float64]
    kind: NDArray[np.int8]


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
    SHARP degrees, or a boundary triangle with an angle under THIN degrees that its face leaves it
    no choice of."""
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
    angles = triangle_angles(mesh.points, triangles) if len(own) else np.zeros((0, 3))
    least = angles.min(axis=1)
    bends = (np.abs(opening - 180.0) > _BEND) & (opening < 360.0)
    # of other edges not all faces and cells are known
    borders = ((low != high) | bends.any(axis=1)) & (near[keys // n] | near[keys % n])
    side = owner.ravel()[start[:-1][polygon][:, None] + np.arange(3)]
    corner = _is_corner(borders[side], angles)
    least[~corner & ~_is_strip(borders[side], angles, triangles, keys[borders], n)] = np.inf
    edge_ends = np.stack([keys // n, keys % n], axis=1)
    sharpest = opening.min(axis=1) if len(keys) else np.zeros(0)
    of_edge = np.full(len(keys), EDGE)
    reasons: list[tuple[NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any]]] = [
        (sharpest / SHARP, sharpest, edge_ends, np.stack([low, high], 1), of_edge),
        (
            least / THIN,
            least,
            triangles,
            np.repeat(mesh.patch[rim][polygon][:, None], 2, 1),
            np.where(corner, CORNER, STRIP),
        ),
    ]
    score = np.full(n, np.inf)
    best = np.zeros(n, np.int64)
    causes: list[tuple[float, NDArray[np.int32], NDArray[np.float64], int]] = []
    for weight, size, at, patches, kind in reasons:
        for k in np.flatnonzero(weight < 1.0):
            held = at[k]
            closer = held[weight[k] < score[held]]
            score[closer], best[closer] = weight[k], len(causes)
            causes.append((size[k], patches[k], mesh.points[at[k]].mean(axis=0), int(kind[k])))
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
        np.array([causes[k][3] for k in which[hit]], np.int8),
    )


def _is_corner(border: NDArray[np.bool_], angles: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Whether the least of angles (m, 3) lies between two sides on the border; border (m, 3) of the
    sides, side i from corner i on."""
    at = angles.argmin(axis=1)
    rows_of = np.arange(len(at))
    return np.asarray(border[rows_of, at] & border[rows_of, at - 1])


def _is_strip(
    border: NDArray[np.bool_],
    angles: NDArray[np.float64],
    triangles: NDArray[np.int32],
    border_keys: NDArray[np.int64],
    n: np.int64,
) -> NDArray[np.bool_]:
    """Whether triangles (m, 3) lie flat between two borders: one side on the border, at an end of
    which the least of angles (m, 3) is, the corner across from it on the border too."""
    on = np.zeros(n, bool)
    on[border_keys // n] = on[border_keys % n] = True
    side = border.argmax(axis=1)
    across = (side + 2) % 3
    return np.asarray(
        on[triangles].all(axis=1) & (border.sum(axis=1) == 1) & (angles.argmin(axis=1) != across)
    )


def spanning_cells(mesh: Mesh, bad: NDArray[np.int64]) -> NDArray[np.int64]:
    """Those of the cells `bad` that reach from boundary to boundary: all their nodes are on it, and
    edges of the boundary do not join them all, as they do at an edge of the model."""
    if not len(bad):
        return bad
    on_rim = np.zeros(len(mesh.points), bool)
    rim_start, rim_nodes = rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(mesh.patch >= 0))
    on_rim[rim_nodes] = True
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, bad)
    spans = np.logical_and.reduceat(on_rim[nodes], start[:-1])
    bad = bad[spans]
    if not len(bad):
        return bad
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, bad)
    # a node of one cell is another than that of the next
    place = np.sort(np.repeat(np.arange(len(bad)), np.diff(start)) * len(mesh.points) + nodes)
    after = following(rim_start, rim_nodes)
    on_boundary = np.unique(np.minimum(rim_nodes, after) * np.int64(len(mesh.points))
                            + np.maximum(rim_nodes, after))  # fmt: skip
    pairs = _pairs_within(start, nodes)
    low, high = pairs[:, :2].min(axis=1), pairs[:, :2].max(axis=1)
    joined = np.isin(low * np.int64(len(mesh.points)) + high, on_boundary)
    ends = np.searchsorted(place, pairs[joined, 2:] * len(mesh.points) + pairs[joined, :2])
    graph = coo_array((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(len(place),) * 2)
    group = connected_components(graph, directed=False)[1]
    first, last = (np.full(len(bad), v) for v in (len(place), -1))
    cell = place // len(mesh.points)
    np.minimum.at(first, cell, group)
    np.maximum.at(last, cell, group)
    return bad[first != last]


def _pairs_within(start: NDArray[np.int64], nodes: NDArray[Any]) -> NDArray[np.int64]:
    """All pairs of nodes of one row, with the row: (k, 3)."""
    size = np.diff(start)
    out = [np.zeros((0, 3), np.int64)]
    for count in np.unique(size).tolist():
        own = np.flatnonzero(size == count)
        block = nodes[start[own][:, None] + np.arange(count)].astype(np.int64)
        i, j = np.triu_indices(count, 1)
        row = np.repeat(own, len(i))
        out.append(np.stack([block[:, i].ravel(), block[:, j].ravel(), row], axis=1))
    return np.concatenate(out)


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
