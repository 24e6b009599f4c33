"""Layers found in a mesh: which edges of its cells stand up from the walls, layer by layer.

From each wall's face the cells over it are followed while they are prisms, hexahedra or pyramids;
what connects their two ends are upright edges. At sharp edges the cells between two columns have
more of them: those that run beside ones that are known.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected
from intaglio.mesh.building import faces_around
from intaglio.mesh.cells import (
    FACE_NODES,
    FACE_SIZE,
    HEXAHEDRON,
    NODES,
    PRISM,
    PYRAMID,
    SHAPES,
    TETRAHEDRON,
)
from intaglio.mesh.mesh import Ints, Longs, Mesh

Bools = NDArray[np.bool_]

# edges of a shape that run side by side: of all of a row, if two are known; by pairs, if one is
_ALL_BESIDE = {HEXAHEDRON: (((0, 4), (1, 5), (2, 6), (3, 7)), ((0, 1), (3, 2), (7, 6), (4, 5)),
                            ((1, 2), (0, 3), (4, 7), (5, 6)))}  # fmt: skip
_BESIDE = {
    PRISM: (((0, 1), (3, 4)), ((1, 2), (4, 5)), ((2, 0), (5, 3))),
    PYRAMID: (((0, 1), (3, 2)), ((1, 2), (0, 3))),
}


@dataclass(frozen=True)
class Stacks:
    """Upright edges, ordered by `code`: ends (e, 2), lower and upper node; level (e,) the layer
    that each stands in, from 1; above (e,): the edge that goes on, -1 at the top of a column."""

    code: Longs
    ends: Ints
    level: Ints
    above: Ints

    def find(self, lower: NDArray[Any], upper: NDArray[Any]) -> Ints:
        """The edge between nodes, -1 for none."""
        code = lower.astype(np.int64) << 32 | upper
        if not len(self.code):
            return np.full(code.shape, -1, np.int32)
        at = np.minimum(np.searchsorted(self.code, code), len(self.code) - 1)
        return np.where(self.code[at] == code, at, -1).astype(np.int32)


def stacks(mesh: Mesh, faces: Longs) -> Stacks:
    """The upright edges over walls' faces (k,). Raises FileRejected with places where layers of two
    walls have cells in common, or columns branch."""
    lower, upper, level = _followed(mesh, faces)
    found = _checked(mesh, lower, upper, level)
    on_wall = np.zeros(len(mesh.points), bool)
    on_wall[found.ends[found.level == 1, 0]] = True
    for f in faces:
        on_wall[mesh.face_nodes[mesh.face_start[f] : mesh.face_start[f + 1]]] = True
    while True:
        more = list(_beside(mesh, found, on_wall))
        if not more:
            return found
        lower, upper, level = (
            np.concatenate([a, *(m[k] for m in more)])
            for k, a in enumerate((found.ends[:, 0], found.ends[:, 1], found.level))
        )
        found = _checked(mesh, lower, upper, level)


def _followed(mesh: Mesh, faces: Longs) -> tuple[Ints, Ints, Ints]:
    """Lower and upper ends and levels of the upright edges of the cells over faces."""
    start, around = faces_around(mesh.owner, mesh.neighbour, mesh.cells)
    seen = np.zeros(mesh.cells, bool)
    parts: list[tuple[Ints, Ints, Ints]] = []
    inner = faces[mesh.neighbour[faces] >= 0]
    cell = np.concatenate([mesh.owner[faces], mesh.neighbour[inner]])
    face = np.concatenate([faces, inner])
    level = 0
    while len(cell):
        level += 1
        next_cell, next_face = [], []
        for shape in (PRISM, HEXAHEDRON, PYRAMID):
            for local, upright, end in _WAYS[shape]:
                own = np.flatnonzero(mesh.shape[cell] == shape)
                c = cell[own]
                nodes = mesh.cell_nodes[mesh.cell_start[c][:, None] + np.arange(NODES[shape])]
                is_entry = _same_nodes(mesh, face[own], nodes[:, local])
                c, nodes = c[is_entry], nodes[is_entry]
                if not len(c):
                    continue
                twice = seen[c] | (np.bincount(c, minlength=mesh.cells)[c] > 1)
                if twice.any():
                    raise _refused(mesh, nodes[twice, 0], "Layers of two walls share cells")
                seen[c] = True
                for b, a in upright:
                    parts.append((nodes[:, b], nodes[:, a], np.full(len(c), level, np.int32)))
                over = _face_of(mesh, start, around, c, nodes[:, end])
                other = np.where(mesh.owner[over] == c, mesh.neighbour[over], mesh.owner[over])
                next_cell.append(other[other >= 0])
                next_face.append(over[other >= 0])
        cell = np.concatenate(next_cell) if next_cell else cell[:0]
        face = np.concatenate(next_face) if next_face else face[:0]
    if not parts:
        none = np.zeros(0, np.int32)
        return none, none, none
    lower, upper, levels = (np.concatenate(v) for v in zip(*parts, strict=True))
    return lower, upper, levels


def _ways(shape: int) -> list[tuple[list[int], list[tuple[int, int]], list[int]]]:
    """How a cell of a shape may stand on a wall: its face there, its upright edges and the face at
    its other end, by its own numbers."""
    out = []
    edges = [(a, b) for a, b, _, _ in SHAPES[shape].edges]
    edges += [(b, a) for a, b in edges]
    for k in range(len(SHAPES[shape].faces)):
        entry = FACE_NODES[shape, k, : FACE_SIZE[shape, k]].tolist()
        if (shape == PRISM and len(entry) == 4) or (shape == PYRAMID and len(entry) == 4):
            continue
        upright = [(a, b) for a, b in edges if a in entry and b not in entry]
        if shape == PYRAMID:
            # the tip stays
            upright = [(a, b) for a, b in upright if a != 4]
        end = [b for _, b in upright] + [4] * (shape == PYRAMID)
        out.append((entry, upright, end))
    return out


_WAYS = {shape: _ways(shape) for shape in (PRISM, HEXAHEDRON, PYRAMID)}


def _same_nodes(mesh: Mesh, faces: NDArray[Any], nodes: Ints) -> Bools:
    """Whether faces (k,) have exactly the nodes (k, n)."""
    size = np.diff(mesh.face_start)[faces]
    fits = size == nodes.shape[1]
    out = np.zeros(len(faces), bool)
    at = mesh.face_start[faces[fits]][:, None] + np.arange(nodes.shape[1])
    have = np.sort(mesh.face_nodes[at], axis=1)
    out[fits] = (have == np.sort(nodes[fits], axis=1)).all(axis=1)
    return out


def _face_of(mesh: Mesh, start: Longs, around: Ints, cell: Ints, nodes: Ints) -> Longs:
    """The face (k,) of each cell (k,) that has the nodes (k, n)."""
    out = np.full(len(cell), -1, np.int64)
    for j in range(int(np.diff(start)[cell].max(initial=0))):
        there = np.flatnonzero(start[cell] + j < start[cell + 1])
        face = around[start[cell[there]] + j]
        face = np.where(face < 0, ~face, face)
        hit = _same_nodes(mesh, face, nodes[there])
        out[there[hit]] = face[hit]
    return out


def _checked(mesh: Mesh, lower: Ints, upper: Ints, level: Ints) -> Stacks:
    """The edges, each once. Raises FileRejected where they run both ways, or two end in one node,
    or one stands in two layers."""
    code = lower.astype(np.int64) << 32 | upper
    code, first = np.unique(code, return_index=True)
    ends = np.stack([lower[first], upper[first]], axis=1)
    levels = level[first]
    every = np.searchsorted(code, lower.astype(np.int64) << 32 | upper)
    amiss = ends[np.unique(every[levels[every] != level]), 0]
    into, count = np.unique(ends[:, 1], return_counts=True)
    amiss = np.concatenate([amiss, into[count > 1]])
    # from the second layer on a column goes one way
    out_of, count = np.unique(ends[levels > 1, 0], return_counts=True)
    amiss = np.concatenate([amiss, out_of[count > 1]])
    if len(amiss):
        raise _refused(mesh, amiss, "Layers of two walls run into each other")
    above = np.full(len(code), -1, np.int32)
    follows = np.flatnonzero(levels > 1)
    order = np.argsort(ends[:, 1])
    at = np.minimum(np.searchsorted(ends[order, 1], ends[follows, 0]), max(len(code) - 1, 0))
    below = order[at]
    joined = ends[below, 1] == ends[follows, 0]
    above[below[joined]] = follows[joined]
    return Stacks(code, ends.astype(np.int32), levels.astype(np.int32), above)


def _refused(mesh: Mesh, nodes: NDArray[Any], what: str) -> FileRejected:
    places = mesh.points[np.unique(nodes)[:20]].round(9).tolist()
    return FileRejected(
        "layers-unclear",
        f"{what} at {len(np.unique(nodes))} nodes, the first at {places[0]}: they cannot be "
        "divided again.",
    )


def standing(mesh: Mesh, found: Stacks) -> dict[int, Longs]:
    """By shape, the cells that have an upper node of an upright edge; not polyhedra."""
    top = np.zeros(len(mesh.points), bool)
    top[found.ends[:, 1]] = True
    out = {}
    for shape in (TETRAHEDRON, PYRAMID, PRISM, HEXAHEDRON):
        own = np.flatnonzero(mesh.shape == shape)
        nodes = mesh.cell_nodes[mesh.cell_start[own][:, None] + np.arange(NODES[shape])]
        out[shape] = own[top[nodes].any(axis=1)]
    return out


def _beside(
    mesh: Mesh, found: Stacks, on_wall: Bools
) -> Iterator[tuple[NDArray[Any], NDArray[Any], NDArray[Any]]]:
    """Lower and upper ends and levels of edges that run beside known ones."""
    cells = standing(mesh, found)

    def nodes_of(shape: int) -> Ints:
        return mesh.cell_nodes[mesh.cell_start[cells[shape]][:, None] + np.arange(NODES[shape])]

    def told(nodes: Ints, known: Ints, b: int, a: int) -> Iterator[tuple[Any, Any, Any]]:
        """Those of the edges from b to a that are new, beside known ones."""
        fresh = (known >= 0) & (found.find(nodes[:, b], nodes[:, a]) < 0)
        if fresh.any():
            yield nodes[fresh, b], nodes[fresh, a], found.level[known[fresh]]

    nodes = nodes_of(HEXAHEDRON)
    for row in _ALL_BESIDE[HEXAHEDRON]:
        for way in (row, tuple((b, a) for a, b in row)):
            have = np.stack([found.find(nodes[:, b], nodes[:, a]) for b, a in way])
            known = np.where((have >= 0).sum(axis=0) >= 2, have.max(axis=0, initial=-1), -1)
            for b, a in way:
                yield from told(nodes, known, b, a)
    for shape, pairs in _BESIDE.items():
        nodes = nodes_of(shape)
        for (p, q), (r, s) in pairs:
            for (b, a), (d, c) in (((p, q), (r, s)), ((r, s), (p, q))):
                for way in (((b, a), (d, c)), ((a, b), (c, d))):
                    known = found.find(nodes[:, way[0][0]], nodes[:, way[0][1]])
                    yield from told(nodes, known, *way[1])
    # at a sharp edge two columns of one node, on either end of a prism
    nodes = nodes_of(PRISM)
    for b, a, third in ((x, y, 3 - x - y) for x in range(3) for y in range(3) if x != y):
        known = found.find(nodes[:, b], nodes[:, a])
        first = (known >= 0) & (found.level[known] == 1)
        other = found.find(nodes[:, b + 3], nodes[:, a + 3])
        wedge = np.where(first & (other >= 0) & ~on_wall[nodes[:, third]], known, -1)
        yield from told(nodes, wedge, b, third)
        yield from told(nodes, wedge, b + 3, third + 3)
    nodes = nodes_of(TETRAHEDRON)
    for b in range(4):
        for a in range(4):
            if a == b:
                continue
            c, d = (k for k in range(4) if k not in (a, b))
            known = found.find(nodes[:, b], nodes[:, a])
            first = (known >= 0) & (found.level[known] == 1)
            for x, y in ((c, d), (d, c)):
                wedge = first & ~on_wall[nodes[:, x]] & on_wall[nodes[:, y]]
                yield from told(nodes, np.where(wedge, known, -1), b, x)
