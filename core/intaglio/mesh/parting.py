"""A mesh cut open along sheets of its interior faces, so that each has two sides."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from intaglio.errors import StepFailed
from intaglio.findings import PLACES
from intaglio.mesh.building import Polygons, with_patches
from intaglio.mesh.mesh import (
    Ints,
    Longs,
    Mesh,
    face_middles,
    following,
    ragged_mean,
    rows,
    turned_rows,
)
from intaglio.mesh.polygons import find_polygons


def parted_along(mesh: Mesh, sheet: Polygons, back: Ints) -> tuple[Mesh, Longs]:
    """The mesh with each polygon of the sheet as two boundary faces, and the node (n,) before that
    each of its nodes comes from.

    sheet: interior faces; its patch is that of the side behind a polygon (its normal points away
    from the cells there), back (k,) that of the other side. A node is there as often as the sheets
    part the cells around it, so once on a free rim; the copies follow the nodes before. Raises
    StepFailed with places where a polygon is no face inside the mesh, or lies on a rim all round.
    """
    face, same = _faces_of(mesh, sheet)
    copies = _Copies.of(mesh, face, sheet.nodes)
    entry = np.repeat(np.arange(mesh.faces), np.diff(mesh.face_start))
    face_nodes = copies.seen_from(mesh.owner[entry], mesh.face_nodes)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, face)
    beyond = np.repeat(mesh.neighbour[face], np.diff(start))
    other = copies.seen_from(beyond, nodes)
    _refuse_alike(mesh, face, start, rows(mesh.face_start, face_nodes, face)[1], other)
    kept = np.ones(mesh.faces, bool)
    kept[face] = False
    inner = np.flatnonzero(kept & (mesh.neighbour >= 0))
    rim = np.concatenate([np.flatnonzero(kept & (mesh.neighbour < 0)), face])
    inner_start, inner_nodes = rows(mesh.face_start, face_nodes, inner)
    rim_start, rim_nodes = rows(mesh.face_start, face_nodes, rim)
    turned = turned_rows(start, other, np.ones(len(face), bool))
    parts = [(inner_start, inner_nodes), (rim_start, rim_nodes), (start, turned)]
    offsets = np.cumsum([0] + [int(s[-1]) for s, _ in parts])
    place = np.empty(mesh.faces, np.int32)
    place[np.concatenate([inner, rim])] = np.arange(len(inner) + len(rim), dtype=np.int32)
    whole = Mesh(
        mesh.points[copies.origin],
        mesh.shape,
        mesh.cell_start,
        copies.cell_nodes,
        np.concatenate([[0], *(s[1:] + o for (s, _), o in zip(parts, offsets, strict=False))]),
        np.concatenate([nodes for _, nodes in parts]).astype(np.int32),
        np.concatenate([mesh.owner[inner], mesh.owner[rim], mesh.neighbour[face]]),
        np.concatenate([mesh.neighbour[inner], np.full(len(rim) + len(face), -1, np.int32)]),
        np.concatenate(
            [
                mesh.patch[inner],
                mesh.patch[rim[: len(rim) - len(face)]],
                np.where(same, sheet.patch, back),
                np.where(same, back, sheet.patch),
            ]
        ).astype(np.int32),
        mesh.zone,
        mesh.patches,
        mesh.zones,
        mesh.unit,
        tuple(replace(pair, faces=place[pair.faces]) for pair in mesh.periodic),
    )
    first = len(inner) + len(rim) - len(face) + np.arange(len(face))
    sides = np.stack([first, first + len(face)], axis=1).astype(np.int32)
    parted = with_patches(replace(whole, sheets=sides), whole.patch, whole.patches)
    return parted, copies.origin


@dataclass(frozen=True)
class _Copies:
    """Nodes of cells where sheets part them. key (k,): node * cells + cell of every node of a sheet
    at every cell around it, sorted; number (k,) of the node there afterwards; origin (n,) the node
    before; cell_nodes as in Mesh; on (n before,): nodes of sheets."""

    cells: int
    key: Longs
    number: Longs
    origin: Longs
    cell_nodes: Ints
    on: NDArray[np.bool_]

    @classmethod
    def of(cls, mesh: Mesh, cut: Longs, nodes: Ints) -> "_Copies":
        """Around a node those cells hang together that meet in a face at it that is not cut."""
        n, cells = len(mesh.points), mesh.cells
        on = np.zeros(n, bool)
        on[nodes] = True
        cell = np.repeat(np.arange(cells), np.diff(mesh.cell_start))
        at = np.flatnonzero(on[mesh.cell_nodes])
        own = mesh.cell_nodes[at].astype(np.int64) * cells + cell[at]
        key, place = np.unique(own, return_inverse=True)
        joins = mesh.neighbour >= 0
        joins[cut] = False
        entry = np.repeat(np.arange(mesh.faces), np.diff(mesh.face_start))
        here = np.flatnonzero(on[mesh.face_nodes] & joins[entry])
        base = mesh.face_nodes[here].astype(np.int64) * cells
        one = np.searchsorted(key, base + mesh.owner[entry[here]])
        other = np.searchsorted(key, base + mesh.neighbour[entry[here]])
        graph = coo_array((np.ones(len(one), bool), (one, other)), shape=(len(key), len(key)))
        label = connected_components(graph, directed=False)[1]
        # groups in the order of their nodes; the first at a node keeps its number
        groups, first = np.unique(label, return_index=True)
        order = np.argsort(first)
        node = key[first[order]] // cells
        again = np.concatenate([[False], node[1:] == node[:-1]])
        number_of = np.empty(len(groups), np.int64)
        number_of[order] = np.where(again, n + np.cumsum(again) - 1, node)
        number = number_of[label]
        changed = mesh.cell_nodes.copy()
        changed[at] = number[place.ravel()]
        origin = np.concatenate([np.arange(n), node[again]])
        return cls(cells, key, number, origin, changed, on)

    def seen_from(self, cell: Ints, nodes: Ints) -> Ints:
        """Numbers (k,) of nodes before, as the cells (k,) have them afterwards."""
        out = nodes.copy()
        at = np.flatnonzero(self.on[nodes])
        wanted = nodes[at].astype(np.int64) * self.cells + cell[at]
        out[at] = self.number[np.searchsorted(self.key, wanted)]
        return out


def _refuse_alike(mesh: Mesh, face: Longs, start: Longs, one: Ints, other: Ints) -> None:
    """Raise StepFailed for faces whose two sides would have the same nodes."""
    alike = np.flatnonzero(np.minimum.reduceat(one == other, start[:-1]))
    if len(alike):
        raise StepFailed(
            "sheet-rim",
            f"{len(alike)} triangles of sheets have nodes of a free rim alone, so that their sides "
            "cannot be told apart. Ask for shorter edges there.",
            face_middles(mesh, face[alike[:PLACES]]).tolist(),
        )


def _faces_of(mesh: Mesh, sheet: Polygons) -> tuple[Longs, NDArray[np.bool_]]:
    """The interior face of each polygon of a sheet, and whether it runs the same way."""
    on = np.zeros(len(mesh.points), bool)
    on[sheet.nodes] = True
    n_in = mesh.interior_faces
    inner = np.minimum.reduceat(on[mesh.face_nodes], mesh.face_start[:-1])[:n_in]
    which = np.flatnonzero(inner)
    found = find_polygons(sheet.start, sheet.nodes, mesh.face_start, mesh.face_nodes, which)
    face = np.full(len(sheet.start) - 1, -1, np.int64)
    face[found[found >= 0]] = which[found >= 0]
    if (face < 0).any():
        lost = np.flatnonzero(face < 0)
        start, nodes = rows(sheet.start, sheet.nodes, lost[:PLACES])
        raise StepFailed(
            "sheet-lost",
            f"{len(lost)} triangles of sheets are no faces inside the mesh.",
            ragged_mean(start, mesh.points[nodes]).tolist(),
        )
    start, nodes = rows(mesh.face_start, mesh.face_nodes, face)
    first = np.repeat(sheet.nodes[sheet.start[:-1]], np.diff(start))
    second = np.repeat(sheet.nodes[sheet.start[:-1] + 1], np.diff(start))
    runs = (nodes == first) & (following(start, nodes) == second)
    return face, np.maximum.reduceat(runs, start[:-1])
