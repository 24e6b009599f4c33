"""Cells of the Visualization Toolkit's grids, in the ways in which their writers differ.

Both ways of numbering a wedge are in use: the class's picture describes the base's normal outward,
what computes on it assumes it inward. Each is taken by its sign. Boxes along the axes have a type
of their own, and many writers put the faces, edges and points of a model among its cells.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected
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
