"""Faces of cells met with each other: a hash table of polygons by their nodes.

Two polygons are the same if they have the same nodes in the same cyclic order, either way round.
The table takes time linear in the number of polygons and knows no largest node number.
"""

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.mesh.cells import FACE_NODES, FACE_SIZE, POLYHEDRON

ALONE, THRICE = -1, -2


class Cells(NamedTuple):
    """Cells to be joined by their faces. Half-face h = first[c] + k is face k of cell c.

    shape (c,), start (c + 1,), nodes as in Mesh; first (c + 1,). The faces of polyhedra, outward,
    follow each other in stream_start and stream_nodes; stream_first (c,) is a polyhedron's first.
    """

    shape: NDArray[np.int8]
    start: NDArray[np.int64]
    nodes: NDArray[np.int32]
    first: NDArray[np.int64]
    stream_first: NDArray[np.int64]
    stream_start: NDArray[np.int64]
    stream_nodes: NDArray[np.int32]


@njit(cache=True)
def half_face(cells, c, k, out):
    """Nodes of face k of cell c into out; how many they are."""
    s = cells.shape[c]
    if s == POLYHEDRON:
        f = cells.stream_first[c] + k
        a = cells.stream_start[f]
        size = cells.stream_start[f + 1] - a
        for i in range(size):
            out[i] = cells.stream_nodes[a + i]
        return size
    size = FACE_SIZE[s, k]
    a = cells.start[c]
    for i in range(size):
        out[i] = cells.nodes[a + FACE_NODES[s, k, i]]
    return size


@njit(cache=True)
def _hash(nodes, size):
    """A number that does not depend on the order of the nodes."""
    total = np.uint64(size)
    for i in range(size):
        x = np.uint64(nodes[i]) + np.uint64(0x9E3779B97F4A7C15)
        x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        total += x ^ (x >> np.uint64(31))
    return total


@njit(cache=True)
def turning(a, b, size):
    """1 if polygon b runs as a does, -1 if the other way round, 0 if they are not the same."""
    j = 0
    while j < size and b[j] != a[0]:
        j += 1
    if j == size:
        return 0
    same = True
    back = True
    for i in range(1, size):
        same = same and b[(j + i) % size] == a[i]
        back = back and b[(j - i) % size] == a[i]
    if back:
        return -1
    return 1 if same else 0


@njit(cache=True)
def _partners(cells, longest, table, partner, cell_of):
    """For each half-face its partner, ALONE, or THRICE where more than two meet."""
    mask = np.uint64(table.shape[0] - 1)
    mine = np.empty(longest, np.int64)
    theirs = np.empty(longest, np.int64)
    for c in range(cells.shape.shape[0]):
        for h in range(cells.first[c], cells.first[c + 1]):
            cell_of[h] = c
            partner[h] = ALONE
            size = half_face(cells, c, h - cells.first[c], mine)
            slot = _hash(mine, size) & mask
            while table[slot] >= 0:
                g = table[slot]
                d = cell_of[g]
                if (
                    half_face(cells, d, g - cells.first[d], theirs) == size
                    and turning(mine, theirs, size) != 0
                ):
                    if partner[g] == ALONE:
                        partner[g] = h
                        partner[h] = g
                    else:
                        partner[h] = THRICE
                    break
                slot = (slot + np.uint64(1)) & mask
            if table[slot] < 0:
                table[slot] = h


@njit(cache=True)
def _emit(cells, longest, partner, cell_of, start, nodes, owner, neighbour):
    """Interior faces in the order of their owners, then those of one cell."""
    mine = np.empty(longest, np.int64)
    f = 0
    start[0] = 0
    for inner in range(2):
        for h in range(partner.shape[0]):
            if (partner[h] <= h) if inner == 0 else (partner[h] != ALONE):
                continue
            c = cell_of[h]
            size = half_face(cells, c, h - cells.first[c], mine)
            for i in range(size):
                nodes[start[f] + i] = mine[i]
            start[f + 1] = start[f] + size
            owner[f] = c
            neighbour[f] = cell_of[partner[h]] if inner == 0 else -1
            f += 1
    return f


@njit(cache=True)
def _find(start, nodes, want_start, want_nodes, which, longest, table, out):
    """For each wanted polygon of `which` the number of the first given one that is the same."""
    mask = np.uint64(table.shape[0] - 1)
    mine = np.empty(longest, np.int64)
    theirs = np.empty(longest, np.int64)
    for f in range(start.shape[0] - 1):
        size = start[f + 1] - start[f]
        for i in range(size):
            mine[i] = nodes[start[f] + i]
        slot = _hash(mine, size) & mask
        while table[slot] >= 0:
            slot = (slot + np.uint64(1)) & mask
        table[slot] = f
    for k in range(which.shape[0]):
        a = want_start[which[k]]
        size = want_start[which[k] + 1] - a
        for i in range(size):
            mine[i] = want_nodes[a + i]
        out[k] = -1
        slot = _hash(mine, size) & mask
        while table[slot] >= 0:
            g = table[slot]
            if start[g + 1] - start[g] == size:
                for i in range(size):
                    theirs[i] = nodes[start[g] + i]
                if turning(mine, theirs, size) != 0 and (out[k] < 0 or g < out[k]):
                    out[k] = g
            slot = (slot + np.uint64(1)) & mask


def _table(entries: int) -> NDArray[Any]:
    """An empty table at most half full, of a power of two."""
    # half-faces of twenty million cells fit 32 bits, and half the memory is half the time
    kind: type[np.signedinteger] = np.int32 if entries < 2**31 else np.int64
    return np.full(1 << max(4, int(2 * entries - 1).bit_length()), -1, kind)


def _longest(*starts: NDArray[np.int64]) -> int:
    return max([4, *(int(np.diff(s).max()) for s in starts if len(s) > 1)])


def joined_faces(
    cells: Cells,
) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32], NDArray[np.int32], list[int]]:
    """Faces of cells, each once: start (f + 1,), nodes outward from owner, owner (f,), neighbour
    (f,) or -1; interior faces first. Last the cells whose face two others have already.

    Time and memory are linear in the number of faces.
    """
    count = int(cells.first[-1])
    longest = _longest(cells.stream_start)
    partner: NDArray[Any] = np.empty(count, np.int32 if count < 2**31 else np.int64)
    cell_of = np.empty(count, np.int32)
    _partners(cells, longest, _table(count), partner, cell_of)
    thrice = np.unique(cell_of[partner == THRICE]).tolist()
    inner = int((partner >= 0).sum()) // 2
    faces = inner + int((partner == ALONE).sum())
    # every half-face has at most `longest` nodes; the exact sum is that of the kinds that occur
    total = _nodes_of_faces(cells)
    start = np.empty(faces + 1, np.int64)
    nodes = np.empty(total, np.int32)
    owner, neighbour = np.empty(faces, np.int32), np.empty(faces, np.int32)
    _emit(cells, longest, partner, cell_of, start, nodes, owner, neighbour)
    return start, nodes[: start[-1]].copy(), owner, neighbour, thrice


def _nodes_of_faces(cells: Cells) -> int:
    """Nodes of all half-faces together."""
    of_shape = FACE_SIZE.sum(axis=1)
    standard = np.bincount(cells.shape, minlength=len(of_shape)) @ of_shape
    return int(standard) + len(cells.stream_nodes)


def find_polygons(
    start: NDArray[np.int64],
    nodes: NDArray[np.int32],
    want_start: NDArray[np.int64],
    want_nodes: NDArray[np.int32],
    which: NDArray[np.int64],
) -> NDArray[np.int64]:
    """For each polygon `which` (k,) of the wanted ones, the given one with its nodes, or -1."""
    out = np.empty(len(which), np.int64)
    count = len(start) - 1
    _find(
        np.ascontiguousarray(start, np.int64),
        np.ascontiguousarray(nodes, np.int32),
        np.ascontiguousarray(want_start, np.int64),
        np.ascontiguousarray(want_nodes, np.int32),
        np.ascontiguousarray(which, np.int64),
        _longest(start, want_start),
        _table(count).astype(np.int64),
        out,
    )
    return out
