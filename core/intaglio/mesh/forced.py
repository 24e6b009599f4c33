"""Bad cells that the input forces: at edges where faces meet sharply, at sliver triangles.

Between two faces that meet at 5 degrees every tetrahedron has an angle of 5 degrees or less,
however it is meshed. Such cells are told apart from those that a better mesh could avoid.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Mesh
from intaglio.mesh.quality import triangle_angles

# edges of a tetrahedron, and the other two nodes of it
_EDGES = np.array([[0, 1], [0, 2], [0, 3], [1, 2], [1, 3], [2, 3]])
_ACROSS = np.array([[2, 3], [1, 3], [1, 2], [0, 3], [0, 2], [0, 1]])

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


def _dihedral_at_edges(mesh: Mesh, cells: NDArray[np.int64]) -> NDArray[np.float64]:
    """Angle (k, 6) in degrees of each cell at each of its edges."""
    corner = mesh.points[mesh.tets[cells]]
    a, b = corner[:, _EDGES[:, 0]], corner[:, _EDGES[:, 1]]
    along = b - a
    along /= np.linalg.norm(along, axis=2)[..., None]
    u = corner[:, _ACROSS[:, 0]] - a
    v = corner[:, _ACROSS[:, 1]] - a
    u = u - np.einsum("kei,kei->ke", u, along)[..., None] * along
    v = v - np.einsum("kei,kei->ke", v, along)[..., None] * along
    product = np.linalg.norm(u, axis=2) * np.linalg.norm(v, axis=2)
    cosine = np.einsum("kei,kei->ke", u, v) / np.where(product > 0, product, 1.0)
    return np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))


def forced_cells(mesh: Mesh, bad: NDArray[np.int64]) -> Forced:
    """Those of the cells `bad` that touch an edge where the boundary's faces meet at less than
    SHARP degrees, or a boundary triangle with an angle under THIN degrees."""
    n = np.int64(len(mesh.points))
    near = np.zeros(n, bool)
    near[mesh.tets[bad].ravel()] = True
    rim = np.flatnonzero(mesh.patch >= 0)
    rim = rim[near[mesh.face_nodes[rim]].any(axis=1)]
    nodes = mesh.face_nodes[rim]
    pairs = np.sort(nodes[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1).astype(np.int64)
    keys, owner = np.unique(pairs[:, 0] * n + pairs[:, 1], return_inverse=True)
    # each zone has its own angle at an edge: the cells of one zone around it make it up
    around = np.flatnonzero(near[mesh.tets].any(axis=1))
    ends = np.sort(mesh.tets[around][:, _EDGES], axis=2).astype(np.int64)
    code = ends[..., 0] * n + ends[..., 1]
    spot = np.minimum(np.searchsorted(keys, code), max(len(keys) - 1, 0))
    on_rim = keys[spot] == code if len(keys) else np.zeros(code.shape, bool)
    zones = len(mesh.zones)
    slot = spot * zones + mesh.zone[around][:, None]
    opening = np.bincount(
        slot[on_rim], _dihedral_at_edges(mesh, around)[on_rim], len(keys) * zones
    ).reshape(-1, zones)
    opening[opening == 0.0] = 360.0
    patch = np.repeat(mesh.patch[rim], 3)
    low, high = np.full(len(keys), 1 << 30), np.full(len(keys), -1)
    np.minimum.at(low, owner, patch)
    np.maximum.at(high, owner, patch)
    # what is sharpest at each node: an edge or a thin triangle
    least = triangle_angles(mesh.points, nodes).min(axis=1)
    edge_ends = np.stack([keys // n, keys % n], axis=1)
    sharpest = opening.min(axis=1)
    reasons = [
        (sharpest / SHARP, sharpest, edge_ends, np.stack([low, high], 1), True),
        (least / THIN, least, nodes, np.repeat(mesh.patch[rim][:, None], 2, 1), False),
    ]
    score = np.full(n, np.inf)
    best = np.zeros(n, np.int64)
    rows: list[tuple[float, NDArray[np.int32], NDArray[np.float64], bool]] = []
    for weight, angle, at, patches, is_edge in reasons:
        for k in np.flatnonzero(weight < 1.0):
            for v in at[k]:
                if weight[k] < score[v]:
                    score[v], best[v] = weight[k], len(rows)
            rows.append((angle[k], patches[k], mesh.points[at[k]].mean(axis=0), is_edge))
    own = score[mesh.tets[bad]]
    hit = np.isfinite(own.min(axis=1)) if len(bad) else np.zeros(0, bool)
    cells = bad[hit]
    which = best[mesh.tets[cells, own[hit].argmin(axis=1)]]
    return Forced(
        cells,
        np.array([rows[k][1] for k in which], np.int32).reshape(-1, 2),
        np.array([rows[k][0] for k in which], float),
        np.array([rows[k][2] for k in which], float).reshape(-1, 3),
        np.array([rows[k][3] for k in which], bool),
    )


def spanning_cells(mesh: Mesh, bad: NDArray[np.int64]) -> NDArray[np.int64]:
    """Those of the cells `bad` that have all their nodes on the boundary."""
    on_rim = np.zeros(len(mesh.points), bool)
    on_rim[mesh.face_nodes[mesh.patch >= 0].ravel()] = True
    return bad[on_rim[mesh.tets[bad]].all(axis=1)]


def heights(mesh: Mesh, cells: NDArray[np.int64]) -> NDArray[np.float64]:
    """Least distance (n,) between opposite edges or between a node and its opposite face."""
    corner = mesh.points[mesh.tets[cells]]
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
