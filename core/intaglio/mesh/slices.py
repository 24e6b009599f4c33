"""Cutting planes through a mesh: the whole cells that a plane crosses."""

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import TET_FACES


def crossed_cells(
    points: NDArray[np.float64], tets: NDArray[np.int32], normal: NDArray[np.float64], offset: float
) -> NDArray[np.int64]:
    """Cells (k,) with nodes on both sides of the plane normal · x = offset."""
    height = (points @ normal - offset)[tets]
    return np.flatnonzero((height.min(axis=1) <= 0) & (height.max(axis=1) > 0))


def outer_faces(
    tets: NDArray[np.int32], cells: NDArray[np.int64]
) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """Faces (f, 3) that bound a set of cells, outward, and the cell (f,) of each."""
    if not len(cells):
        return np.zeros((0, 3), np.int32), np.zeros(0, np.int64)
    nodes = tets[cells][:, TET_FACES].reshape(-1, 3)
    cell = np.repeat(cells, 4)
    key = np.sort(nodes, axis=1)
    order = np.lexsort((key[:, 2], key[:, 1], key[:, 0]))
    key = key[order]
    same = (key[1:] == key[:-1]).all(axis=1)
    shared = np.concatenate([same, [False]]) | np.concatenate([[False], same])
    keep = np.sort(order[~shared])
    return nodes[keep], cell[keep]
