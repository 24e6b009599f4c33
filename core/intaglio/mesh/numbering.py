"""Numbering cells so that neighbours have near numbers, and points and faces in their order."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import reverse_cuthill_mckee

from intaglio.mesh.mesh import Longs, Mesh, Periodic, rows


def narrow_order(mesh: Mesh) -> Longs:
    """Cells (c,) zone by zone, each in the order of the reverse Cuthill–McKee method (Cuthill &
    McKee, Proc. 24th Nat. Conf. ACM 1969; George 1971) on the graph of cells that share a face."""
    out = []
    inner = np.flatnonzero(mesh.neighbour >= 0)
    for zone in range(len(mesh.zones)):
        own = np.flatnonzero(mesh.zone == zone)
        local = np.full(mesh.cells, -1, np.int32)
        local[own] = np.arange(len(own))
        a, b = local[mesh.owner[inner]], local[mesh.neighbour[inner]]
        both = (a >= 0) & (b >= 0)
        ends = np.concatenate([a[both], b[both]]), np.concatenate([b[both], a[both]])
        graph = coo_array((np.ones(len(ends[0]), np.int8), ends), shape=(len(own), len(own)))
        out.append(own[reverse_cuthill_mckee(graph.tocsr(), symmetric_mode=True)])
    return np.concatenate(out).astype(np.int64)


def bandwidth(mesh: Mesh) -> int:
    """Largest difference of the numbers of two cells that share a face."""
    inner = mesh.neighbour >= 0
    apart = np.abs(mesh.owner[inner].astype(np.int64) - mesh.neighbour[inner])
    return int(apart.max(initial=0))


def renumbered(mesh: Mesh, order: Longs) -> Mesh:
    """The mesh with its cells in another order: old numbers (c,). Points come in the order in which
    cells name them first, faces in that of the lower and then the higher of their cells; those of
    the boundary stay in the order of their patches."""
    place = _inverse(order)
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, order)
    points = _first_named(nodes, len(mesh.points))
    to = _inverse(points)
    inner = mesh.neighbour >= 0
    one = place[mesh.owner]
    other = np.where(inner, place[mesh.neighbour], -1)
    low, high = np.minimum(one, other), np.maximum(one, other)
    # boundary faces stand behind, by patch and then by their cell
    group = np.where(inner, 0, mesh.patch.astype(np.int64) + 2)
    first = np.where(inner, low, high)
    faces = np.lexsort((np.where(inner, high, 0), first, group))
    at = _inverse(faces)
    face_start, face_nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    pairs = np.sort(at[mesh.sheets], axis=1).astype(np.int32)
    return replace(
        mesh,
        points=mesh.points[points],
        shape=mesh.shape[order],
        cell_start=start,
        cell_nodes=to[nodes].astype(np.int32),
        face_start=face_start,
        face_nodes=to[face_nodes].astype(np.int32),
        owner=one[faces].astype(np.int32),
        neighbour=other[faces].astype(np.int32),
        patch=mesh.patch[faces],
        zone=mesh.zone[order],
        periodic=tuple(
            Periodic(at[p.faces].astype(np.int32), p.turn, p.shift) for p in mesh.periodic
        ),
        sheets=pairs[np.argsort(pairs[:, 0], kind="stable")],
    )


def _inverse(order: Longs) -> Longs:
    """The new number of each old one."""
    out = np.empty(len(order), np.int64)
    out[order] = np.arange(len(order))
    return out


def _first_named(nodes: NDArray[np.int32], count: int) -> Longs:
    """All nodes in the order in which a list names them first; those that it does not name last."""
    at = np.full(count, len(nodes), np.int64)
    # written from behind: what stays is the first place
    at[nodes[::-1]] = np.arange(len(nodes) - 1, -1, -1)
    return np.argsort(at, kind="stable")
