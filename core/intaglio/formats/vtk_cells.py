"""Cells of the Visualization Toolkit's grids, in the ways in which their writers differ.

Both ways of numbering a wedge are in use: the class's picture describes the base's normal outward,
what computes on it assumes it inward. Each is taken by its sign. Boxes along the axes have a type
of their own, many writers put the faces, edges and points of a model among its cells, and nothing
says which way the faces of a polyhedron run.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import FileRejected
from intaglio.mesh.building import Stream
from intaglio.mesh.cells import HEXAHEDRON, POLYHEDRON, PRISM, PYRAMID, SHAPES, TETRAHEDRON

TYPE = {TETRAHEDRON: 10, HEXAHEDRON: 12, PRISM: 13, PYRAMID: 14, POLYHEDRON: 42}
_SHAPE = {number: shape for shape, number in TYPE.items()}
# a hexahedron whose nodes are numbered by x, y, z, and how they are in the usual order
_VOXEL, _OF_VOXEL = 11, (0, 1, 3, 2, 4, 5, 7, 6)
# points, lines, polygons: no cells
_FLAT = (1, 2, 3, 4, 5, 6, 7, 8, 9)
# the other way round a wedge
_TURNED = (0, 2, 1, 3, 5, 4)


@dataclass(frozen=True)
class CellsTaken:
    """The cells of a grid: shape (c,), start (c + 1,) and nodes in the order of `mesh.cells`; kept
    (c,): the number of each in the grid; notes: what was taken otherwise than the grid has it."""

    shape: NDArray[np.int8]
    start: NDArray[np.int64]
    nodes: NDArray[np.int64]
    kept: NDArray[np.int64]
    notes: tuple[str, ...]


def cells_taken(
    points: NDArray[np.float64],
    types: NDArray[np.integer],
    offsets: NDArray[np.integer],
    connectivity: NDArray[np.integer],
    name: str,
) -> CellsTaken:
    """The cells of a grid of points (n, 3): types (k,), offsets (k,) of their ends, connectivity.
    Raises ValueError where they do not fit together, FileRejected for cells that are not read, of
    the file of this name."""
    start = np.concatenate([[0], offsets.astype(np.int64)])
    nodes = connectivity.astype(np.int64)
    if len(start) != len(types) + 1 or start[-1] != len(nodes) or (np.diff(start) < 1).any():
        raise ValueError("the offsets do not fit the cells")
    unknown = ~np.isin(types, [*_SHAPE, _VOXEL, *_FLAT])
    if unknown.any():
        raise FileRejected(
            "unknown-cells",
            f"{name} has cells of type {types[unknown][0]}, which are not read.",
        )
    if len(nodes) and (nodes.min() < 0 or nodes.max() >= len(points)):
        raise ValueError("cells name points that do not exist")
    notes = []
    flat = np.isin(types, _FLAT)
    kept = np.flatnonzero(~flat)
    if flat.any():
        notes.append(
            f"{int(flat.sum()):,} points, lines and polygons among the cells are left out."
        )
        nodes = nodes[np.repeat(~flat, np.diff(start))]
        start = np.concatenate([[0], np.cumsum(np.diff(start)[kept])])
    of_type = np.full(max((*_SHAPE, _VOXEL)) + 1, -1, np.int8)
    of_type[[*_SHAPE, _VOXEL]] = [*_SHAPE.values(), HEXAHEDRON]
    shape = of_type[types[kept]]
    wanted = np.array([s.nodes for s in SHAPES])[shape]
    if ((np.diff(start) != wanted) & (shape != POLYHEDRON)).any():
        raise ValueError("a cell has another number of nodes than its type")
    voxels = np.flatnonzero(types[kept] == _VOXEL)
    _reorder(nodes, start, voxels, _OF_VOXEL)
    wedges = np.flatnonzero(shape == PRISM)
    turned = wedges[_signed(points, nodes[start[wedges][:, None] + np.arange(6)]) < 0.0]
    if len(turned):
        _reorder(nodes, start, turned, _TURNED)
        notes.append(
            f"{len(turned):,} of {len(wedges):,} prisms are numbered the other way round, with the "
            "base's normal outward, and were taken so."
        )
    return CellsTaken(shape, start, nodes, kept, tuple(notes))


def _reorder(
    nodes: NDArray[np.int64],
    start: NDArray[np.int64],
    cells: NDArray[np.int64],
    order: tuple[int, ...],
) -> None:
    at = start[cells][:, None]
    nodes[at + np.arange(len(order))] = nodes[at + np.array(order)]


def _signed(points: NDArray[np.float64], corners: NDArray[np.int64]) -> NDArray[np.float64]:
    """Volume (k,) of prisms with corners (k, 6), negative where they are the other way round: its
    faces fanned, as seen from the first corner."""
    at = points[corners] - points[corners[:, :1]]
    total = np.zeros(len(corners))
    for face in SHAPES[PRISM].faces:
        for i in range(1, len(face) - 1):
            a, b, c = (at[:, face[k]] for k in (0, i, i + 1))
            total += np.einsum("ki,ki->k", a, np.cross(b, c))
    return total / 6.0


def faces_outward(points: NDArray[np.float64], stream: Stream) -> tuple[Stream, tuple[str, ...]]:
    """The faces of polyhedra, each turned outward: the format does not say which way they run, and
    its writers differ; with a note where any was turned."""
    nodes = stream.nodes.copy()
    cells = np.flatnonzero(stream.faces)
    turned = _turn_outward(points, stream.faces[cells], stream.start, nodes)
    if not turned:
        return stream, ()
    words = f"Faces of {turned:,} of {len(cells):,} polyhedra do not run outward, and were turned."
    return replace(stream, nodes=nodes), (words,)


@njit(cache=True)
def _turn_outward(points, faces, start, nodes):
    """Turn the faces (by start and nodes) of cells that have so many faces (k,) each; how many
    cells had one to be turned."""
    most = 0
    for count in faces:
        most = max(most, count)
    state = np.empty(most, np.int8)
    queue = np.empty(most, np.int64)
    turned = 0
    first = 0
    for count in faces:
        # a cell whose faces all run one way has no area left over
        left, size, volume = _left_over(points, first, count, start, nodes)
        if left > 1e-9 * size:
            _run_one_way(first, count, start, nodes, state, queue)
            left, size, volume = _left_over(points, first, count, start, nodes)
            turned += 1
            if volume < 0.0:
                _reverse(first, count, start, nodes)
        elif volume < 0.0:
            _reverse(first, count, start, nodes)
            turned += 1
        first += count
    return turned


@njit(cache=True)
def _left_over(points, first, count, start, nodes):
    """Length of the sum of a cell's area vectors, the sum of their lengths, and six times its
    volume."""
    o = points[nodes[start[first]]]
    sum_x = sum_y = sum_z = size = volume = 0.0
    for f in range(first, first + count):
        a = points[nodes[start[f]]]
        for i in range(start[f] + 1, start[f + 1] - 1):
            b, c = points[nodes[i]], points[nodes[i + 1]]
            ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
            vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            sum_x, sum_y, sum_z = sum_x + nx, sum_y + ny, sum_z + nz
            size += math.sqrt(nx * nx + ny * ny + nz * nz)
            volume += (a[0] - o[0]) * nx + (a[1] - o[1]) * ny + (a[2] - o[2]) * nz
    return math.sqrt(sum_x * sum_x + sum_y * sum_y + sum_z * sum_z), size, volume


@njit(cache=True)
def _reverse(first, count, start, nodes):
    for f in range(first, first + count):
        nodes[start[f] : start[f + 1]] = nodes[start[f] : start[f + 1]][::-1].copy()


@njit(cache=True)
def _run_one_way(first, count, start, nodes, state, queue):
    """Turn a cell's faces so that each edge is run along in both directions, as the first that is
    reached has it."""
    state[:count] = 0
    for seed in range(count):
        if state[seed]:
            continue
        state[seed] = 1
        queue[0] = seed
        head, tail = 0, 1
        while head < tail:
            f = queue[head] + first
            head += 1
            for g in range(first, first + count):
                if state[g - first]:
                    continue
                way = _common_edge(start, nodes, f, g)
                if way == 0:
                    continue
                if way > 0:
                    nodes[start[g] : start[g + 1]] = nodes[start[g] : start[g + 1]][::-1].copy()
                state[g - first] = 1
                queue[tail] = g - first
                tail += 1


@njit(cache=True)
def _common_edge(start, nodes, f, g):
    """1 if two faces run along a common edge in the same direction, -1 if in opposite ones, else
    0."""
    for i in range(start[f], start[f + 1]):
        a = nodes[i]
        b = nodes[i + 1] if i + 1 < start[f + 1] else nodes[start[f]]
        for j in range(start[g], start[g + 1]):
            c = nodes[j]
            d = nodes[j + 1] if j + 1 < start[g + 1] else nodes[start[g]]
            if a == c and b == d:
                return 1
            if a == d and b == c:
                return -1
    return 0
