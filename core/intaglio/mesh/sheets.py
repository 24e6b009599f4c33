"""The two sides of walls without a thickness: whether they lie on each other, and their nodes."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from intaglio.findings import PLACES, Finding
from intaglio.mesh.mesh import Longs, Mesh, face_middles, rows
from intaglio.mesh.periodic import faces_apart


def sheet_findings(mesh: Mesh) -> list[Finding]:
    """A finding for sides of sheets that are no boundary, belong to two, or lie elsewhere than the
    other side."""
    if not len(mesh.sheets):
        return []
    every, count = np.unique(mesh.sheets, return_counts=True)
    inner = mesh.sheets[mesh.neighbour[mesh.sheets] >= 0]
    off = mesh.sheets[faces_apart(mesh, mesh.sheets, np.eye(3), np.zeros(3)), 0]
    bad = np.unique(np.concatenate([every[count > 1], inner.ravel(), off])).astype(np.int64)
    if not len(bad):
        return []
    return [
        Finding(
            "sheet-mismatch",
            "error",
            "Sides of sheets that do not lie on each other node for node.",
            len(bad),
            face_middles(mesh, bad[:PLACES]).tolist(),
            "Write the file again; it is damaged.",
        )
    ]


def patches_of_sheets(mesh: Mesh) -> list[int]:
    """Numbers of the patches that sides of sheets lie on."""
    out: list[int] = np.unique(mesh.patch[mesh.sheets]).tolist()
    return out


def with_sheets_among(mesh: Mesh, patches: list[int]) -> Mesh:
    """The mesh with those faces of some patches as sides of sheets that lie on each other."""
    faces = np.flatnonzero((mesh.neighbour < 0) & np.isin(mesh.patch, patches))
    if not len(faces):
        return mesh
    middle = face_middles(mesh, faces)
    apart, found = cKDTree(middle).query(middle, k=2)
    # the nearest to a face is itself, or the other one at its place
    other = np.where(found[:, 0] == np.arange(len(faces)), found[:, 1], found[:, 0])
    near = apart[:, 1] <= 1e-12 * float(np.ptp(mesh.points, axis=0).max())
    one = np.flatnonzero(near & (np.arange(len(faces)) < other))
    pairs = np.stack([faces[one], faces[other[one]]], axis=1).astype(np.int32)
    off = faces_apart(mesh, pairs, np.eye(3), np.zeros(3))
    return replace(mesh, sheets=pairs[~off])


def joined_nodes(mesh: Mesh) -> Longs:
    """For each node (n,) the lowest of those that lie at its place on the two sides of sheets."""
    out: Longs = np.arange(len(mesh.points))
    if not len(mesh.sheets):
        return out
    one, other = (_corners(mesh, mesh.sheets[:, side]) for side in (0, 1))
    used, local = np.unique(np.concatenate([one[1], other[1]]), return_inverse=True)
    place = np.unique(mesh.points[used], axis=0, return_inverse=True)[1].ravel()[local.ravel()]
    # by pair and place: a face has no two nodes at one place
    sides = place[: len(one[1])], place[len(one[1]) :]
    key = [pair * len(used) + at for (pair, _), at in zip((one, other), sides, strict=True)]
    _, at, to = np.intersect1d(key[0], key[1], return_indices=True)
    graph = coo_array(
        (np.ones(len(at), bool), (one[1][at], other[1][to])), shape=(len(out), len(out))
    )
    group = connected_components(graph, directed=False)[1]
    first: Longs = np.unique(group, return_index=True)[1][group]
    return first


def _corners(mesh: Mesh, faces: NDArray[np.int32]) -> tuple[Longs, Longs]:
    """For every node of faces (k,) the face's place among them, and the node."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    return np.repeat(np.arange(len(faces)), np.diff(start)), nodes.astype(np.int64)
