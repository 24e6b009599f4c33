"""Cells beside cells."""

import numpy as np

from intaglio.mesh.mesh import Longs, Mesh, rows


def cells_around(mesh: Mesh, cells: Longs, rings: int) -> Longs:
    """Cells (k,) with those around them, in the order of their numbers: in each ring all that share
    a node with one that there is."""
    held = np.zeros(mesh.cells, bool)
    held[cells] = True
    for _ in range(rings):
        near = np.zeros(len(mesh.points), bool)
        near[rows(mesh.cell_start, mesh.cell_nodes, np.flatnonzero(held))[1]] = True
        held |= np.add.reduceat(near[mesh.cell_nodes], mesh.cell_start[:-1]) > 0
    return np.flatnonzero(held)
