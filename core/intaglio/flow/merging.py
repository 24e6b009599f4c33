"""Cells that taper to an edge or a node, taken together as volumes.

Layers that grow from one node of a wall's triangle alone are stacks of flat tetrahedra around the
edge of the other two; from two nodes, stacks of flat pyramids around the third. Their neighbours
beside them are many times as large, the ways to these pass them by, and the iteration swings there,
however thick the fluid is. Such a stack is one volume here, as cells are put together in multigrid
(D. J. Mavriplis, V. Venkatakrishnan, Computers & Fluids 24 (1995) 553).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from intaglio.mesh.mesh import Floats, Longs, Mesh

# degrees between the two largest faces of a cell that tapers
_TAPERS = 10.0


def merged(mesh: Mesh, vector: Floats, of_cells: NDArray[np.bool_]) -> Longs:
    """The volume (c,) that each cell is in, from 0 in the order of their first cells; -1 for those
    that are not wanted. vector (f, 3): area vectors out of the owners."""
    one, other = _largest(mesh.owner, mesh.neighbour, vector, mesh.cells)
    tapers = of_cells & _tapering(
        mesh.face_start, mesh.face_nodes, mesh.owner, vector, one, other, _TAPERS
    )
    face = np.concatenate([one[tapers], other[tapers]])
    a, b = mesh.owner[face], mesh.neighbour[face]
    both = (b >= 0) & (mesh.patch[face] < 0)
    both[both] = tapers[a[both]] & tapers[b[both]]
    count = mesh.cells
    links = csr_matrix((np.ones(both.sum(), bool), (a[both], b[both])), shape=(count, count))
    _, label = connected_components(links, directed=False)
    out = np.full(count, -1, np.int64)
    cells = np.flatnonzero(of_cells)
    _, first, number = np.unique(label[cells], return_index=True, return_inverse=True)
    place = np.empty(len(first), np.int64)
    place[np.argsort(first)] = np.arange(len(first))
    out[cells] = place[number]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _largest(owner, neighbour, vector, count):
    """The faces (c,) of each cell with the largest area and the next."""
    one, other = np.full(count, -1, np.int64), np.full(count, -1, np.int64)
    most, next_most = np.full(count, -1.0), np.full(count, -1.0)
    for f in range(len(owner)):
        size = vector[f, 0] ** 2 + vector[f, 1] ** 2 + vector[f, 2] ** 2
        for c in (owner[f], neighbour[f]):
            if c < 0:
                continue
            if size > most[c]:
                next_most[c], other[c] = most[c], one[c]
                most[c], one[c] = size, f
            elif size > next_most[c]:
                next_most[c], other[c] = size, f
    return one, other


@njit(cache=True, nogil=True, error_model="numpy")
def _tapering(start, nodes, owner, vector, one, other, degrees):
    """Whether the two largest faces of each cell (c,) share a node, and open by so little."""
    least = np.cos(np.radians(degrees))
    out = np.zeros(len(one), np.bool_)
    for c in range(len(one)):
        f, g = one[c], other[c]
        if g < 0:
            continue
        along = 0.0
        square_f, square_g = 0.0, 0.0
        for i in range(3):
            along += vector[f, i] * vector[g, i]
            square_f += vector[f, i] ** 2
            square_g += vector[g, i] ** 2
        if (owner[f] == c) != (owner[g] == c):
            along = -along
        # outward, they look opposite ways
        if -along < least * np.sqrt(square_f * square_g):
            continue
        shared = 0
        for p in range(start[f], start[f + 1]):
            for q in range(start[g], start[g + 1]):
                if nodes[p] == nodes[q]:
                    shared += 1
        out[c] = shared > 0
    return out
