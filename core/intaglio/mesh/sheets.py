"""The two sides of walls without a thickness: whether they lie on each other, and their nodes."""

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

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


def nodes_of_sheets(mesh: Mesh, place: Longs) -> Longs:
    """A number for each node (n,): the same for nodes at one place, by place (n,), that faces on
    the two sides of sheets have in common."""
    out: Longs = np.arange(len(mesh.points))
    if not len(mesh.sheets):
        return out
    one, other = (_corners(mesh, mesh.sheets[:, side]) for side in (0, 1))
    # by pair and place: a face has no two nodes at one place
    key = [pair * len(place) + place[nodes] for pair, nodes in (one, other)]
    _, at, to = np.intersect1d(key[0], key[1], return_indices=True)
    graph = coo_array(
        (np.ones(len(at), bool), (one[1][at], other[1][to])), shape=(len(out), len(out))
    )
    out = connected_components(graph, directed=False)[1].astype(np.int64)
    return out


def _corners(mesh: Mesh, faces: NDArray[np.int32]) -> tuple[Longs, Longs]:
    """For every node of faces (k,) the face's place among them, and the node."""
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    return np.repeat(np.arange(len(faces)), np.diff(start)), nodes.astype(np.int64)
