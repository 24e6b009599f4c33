"""Whether a mesh has the surface it was made for: each given triangle once, whole or split."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from intaglio.findings import PLACES, Finding
from intaglio.mesh.mesh import Floats, Ints, Longs, Mesh, fan, rows
from intaglio.mesh.polygons import find_polygons

Flags = NDArray[np.bool_]

# area vectors depend on the rim alone, so that a change of diagonal keeps them
_SAME_VECTOR = 1e-9
# areas change with a diagonal between triangles that lean to each other by up to 12 degrees (see
# volume/recover.py), by no more than 1 - cos 12°: far less than a second covering
_SAME_AREA = 0.022


def surface_findings(
    mesh: Mesh,
    points: Floats,
    triangles: Ints,
    region: Ints,
    behind: Ints,
    origin: Longs | None = None,
    back: Ints | None = None,
) -> list[Finding]:
    """A finding for given triangles that the mesh has not exactly once, as a face or as faces that
    split it, and for faces that are no part of the given surface.

    points (n, 3) of the surface are the mesh's first; triangles (k, 3), region (k,) their number of
    the mesh's patches; behind (patches,) the zone that each patch bounds with its back. Where the
    mesh was cut open along sheets: origin (nodes,) of its nodes before that, back (patches,) the
    patch on the other side of each one, or -1; such a patch must hold the same triangles turned.
    """
    if origin is not None and back is not None:
        joined = replace(mesh, face_nodes=origin[mesh.face_nodes].astype(np.int32))
        other = np.isin(mesh.patch, back[back >= 0])
        sheet = back[region] >= 0
        turned = triangles[sheet][:, ::-1], back[region[sheet]]
        return _covered(joined, points, triangles, region, behind, ~other) + _covered(
            joined, points, *turned, behind, other
        )
    return _covered(mesh, points, triangles, region, behind, np.ones(mesh.faces, bool))


def _covered(
    mesh: Mesh, points: Floats, triangles: Ints, region: Ints, behind: Ints, looked_at: Flags
) -> list[Finding]:
    """The same among the chosen faces (f,) alone."""
    if not np.array_equal(mesh.points[: len(points)], points):
        return [_lost(len(points), [], "its points lie elsewhere")]
    beyond = np.where(mesh.neighbour >= 0, mesh.zone[mesh.neighbour], -1)
    parting = np.flatnonzero((mesh.zone[mesh.owner] != beyond) & looked_at)
    start = np.arange(len(triangles) + 1, dtype=np.int64) * 3
    found = find_polygons(start, triangles.ravel(), mesh.face_start, mesh.face_nodes, parting)
    held = found >= 0
    held[held] = region[found[held]] == mesh.patch[parting[held]]
    count = np.bincount(found[held], minlength=len(triangles))
    if (count > 1).any():
        twice = np.flatnonzero(count > 1)
        return [_lost(len(twice), points[triangles[twice[:PLACES]]].mean(axis=1).tolist())]
    rest = np.flatnonzero(count == 0)
    others = parting[~held]
    if not len(rest) and not len(others):
        return []
    own, polygon = fan(*rows(mesh.face_start, mesh.face_nodes, others))
    patch = mesh.patch[others][polygon]
    # each patch seen from the zone behind it, whichever of its cells owns a face
    back = mesh.zone[mesh.owner[others]][polygon] != behind[np.maximum(patch, 0)]
    own[back] = own[back][:, ::-1]
    corner = np.concatenate([triangles[rest], own])
    label = np.concatenate([region[rest], patch])
    group = _groups(corner, label, len(mesh.points))
    sign = np.concatenate([np.ones(len(rest)), -np.ones(len(own))])
    p = mesh.points[corner]
    vector = 0.5 * np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(vector, axis=1)
    groups = int(group.max()) + 1
    scale = np.bincount(group, area, groups)
    off = np.zeros(groups)
    for i in range(3):
        off = np.maximum(off, np.abs(np.bincount(group, sign * vector[:, i], groups)))
    bad = (off > _SAME_VECTOR * scale) | (
        np.abs(np.bincount(group, sign * area, groups)) > _SAME_AREA * scale
    )
    if not bad.any():
        return []
    wrong = np.flatnonzero(bad[group])
    return [_lost(len(wrong), p[wrong[:PLACES]].mean(axis=1).tolist())]


def _groups(corner: Ints, label: Ints, points: int) -> np.ndarray:
    """Group (t,) of triangles of one label that hang together by nodes."""
    own = np.unique(label, return_inverse=True)[1]
    node = own.ravel()[:, None] * np.int64(points) + corner
    used, local = np.unique(node, return_inverse=True)
    local = local.reshape(corner.shape)
    a, b = local[:, [0, 1]].ravel(), local[:, [1, 2]].ravel()
    graph = coo_matrix((np.ones(len(a), bool), (a, b)), shape=(len(used), len(used)))
    return connected_components(graph, directed=False)[1][local[:, 0]]


def _lost(count: int, places: list[list[float]], why: str = "") -> Finding:
    return Finding(
        "surface-lost",
        "error",
        "The mesh does not have the surface it was made for exactly once"
        + (f": {why}." if why else "."),
        count,
        places,
    )
