"""One cell at a time in compiled code, whatever its shape: its points and its faces, outward."""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.mesh.building import faces_around
from intaglio.mesh.cells import EDGE, EDGES, FACE_NODES, FACE_SIZE, FACES, NODES, POLYHEDRON
from intaglio.mesh.mesh import Mesh, face_sizes


class Raw(NamedTuple):
    """A mesh's arrays for compiled code; first and around as of faces_around, empty where no cell
    is a polyhedron."""

    points: NDArray[np.float64]
    shape: NDArray[np.int8]
    start: NDArray[np.int64]
    nodes: NDArray[np.int32]
    face_start: NDArray[np.int64]
    face_nodes: NDArray[np.int32]
    first: NDArray[np.int64]
    around: NDArray[np.int32]


class Cell(NamedTuple):
    """Room for one cell: node (k,) numbers, xyz (k, 3) relative to the first node, size (m,) of its
    faces and their local nodes (m, s); edge (e, 4) as in Shape.edges; at: scratch (k, k) of -1;
    base (3,) the first node; shape (1,) of the cell that it holds."""

    node: NDArray[np.int64]
    xyz: NDArray[np.float64]
    size: NDArray[np.int64]
    local: NDArray[np.int64]
    edge: NDArray[np.int64]
    at: NDArray[np.int64]
    base: NDArray[np.float64]
    shape: NDArray[np.int64]


def raw_arrays(mesh: Mesh) -> Raw:
    """The arrays of a mesh, with the faces around its cells if it has polyhedra."""
    first, around = np.zeros(1, np.int64), np.zeros(0, np.int32)
    if (mesh.shape == POLYHEDRON).any():
        first, around = faces_around(mesh.owner, mesh.neighbour, mesh.cells)
    return Raw(
        np.ascontiguousarray(mesh.points, np.float64),
        mesh.shape,
        mesh.cell_start,
        mesh.cell_nodes,
        mesh.face_start,
        mesh.face_nodes,
        first,
        around,
    )


def room_for(mesh: Mesh, raw: Raw) -> tuple[int, int, int]:
    """The largest numbers of nodes and faces of a cell, and of nodes of a face."""
    if not len(raw.around):
        return 8, 6, 4
    nodes = int(np.diff(mesh.cell_start).max(initial=8))
    faces = int(np.diff(raw.first).max(initial=6))
    return max(nodes, 8), max(faces, 6), int(face_sizes(mesh).max(initial=4))


@njit(cache=True, error_model="numpy")
def cell_room(nodes, faces, longest):
    """Room for cells of at most so many nodes and faces, faces of at most `longest` nodes."""
    return Cell(
        np.empty(nodes, np.int64),
        np.empty((nodes, 3)),
        np.empty(faces, np.int64),
        np.empty((faces, max(longest, 4)), np.int64),
        np.empty((faces * max(longest, 4), 4), np.int64),
        np.full((nodes, nodes), -1, np.int64),
        np.empty(3),
        np.full(1, -1, np.int64),
    )


@njit(cache=True, error_model="numpy")
def load_cell(raw, c, cell):
    """Fill `cell` with cell c; (nodes, faces, edges). Edges are -1 for a polyhedron that is not
    closed: some edge of it is not run through once in each direction."""
    s = raw.shape[c]
    a = raw.start[c]
    n = raw.start[c + 1] - a
    for i in range(3):
        cell.base[i] = raw.points[raw.nodes[a], i]
    for j in range(n):
        v = raw.nodes[a + j]
        cell.node[j] = v
        for i in range(3):
            cell.xyz[j, i] = raw.points[v, i] - cell.base[i]
    if s != POLYHEDRON:
        # neighbouring cells are mostly of one shape: its tables stay as they are
        if cell.shape[0] == s:
            return NODES[s], FACES[s], EDGES[s]
        cell.shape[0] = s
        for k in range(FACES[s]):
            cell.size[k] = FACE_SIZE[s, k]
            for i in range(FACE_SIZE[s, k]):
                cell.local[k, i] = FACE_NODES[s, k, i]
        for e in range(EDGES[s]):
            for i in range(4):
                cell.edge[e, i] = EDGE[s, e, i]
        return NODES[s], FACES[s], EDGES[s]
    cell.shape[0] = POLYHEDRON
    m = raw.first[c + 1] - raw.first[c]
    known = True
    for k in range(m):
        g = raw.around[raw.first[c] + k]
        f = g if g >= 0 else ~g
        b = raw.face_start[f]
        size = raw.face_start[f + 1] - b
        cell.size[k] = size
        for i in range(size):
            v = raw.face_nodes[b + i] if g >= 0 else raw.face_nodes[b + size - 1 - i]
            j = 0
            while j < n - 1 and cell.node[j] != v:
                j += 1
            known = known and cell.node[j] == v
            cell.local[k, i] = j
    edges = _edges(cell, m)
    return n, m, edges if known else -1


@njit(cache=True, error_model="numpy")
def _edges(cell, faces):
    """Edges of a polyhedron from its faces; -1 if it is not closed."""
    closed = True
    halves = 0
    for k in range(faces):
        size = cell.size[k]
        halves += size
        for i in range(size):
            a = cell.local[k, i]
            b = cell.local[k, (i + 1) % size]
            closed = closed and cell.at[a, b] < 0 and a != b
            cell.at[a, b] = k
    count = 0
    for k in range(faces):
        size = cell.size[k]
        for i in range(size):
            a = cell.local[k, i]
            b = cell.local[k, (i + 1) % size]
            closed = closed and cell.at[b, a] >= 0
            if a < b and cell.at[b, a] >= 0:
                cell.edge[count, 0] = a
                cell.edge[count, 1] = b
                cell.edge[count, 2] = k
                cell.edge[count, 3] = cell.at[b, a]
                count += 1
    for k in range(faces):
        size = cell.size[k]
        for i in range(size):
            cell.at[cell.local[k, i], cell.local[k, (i + 1) % size]] = -1
    return count if closed else -1


@njit(cache=True, error_model="numpy")
def face_centre(cell, k, out):
    """Mean of the nodes of face k, relative to the cell's first node."""
    size = cell.size[k]
    x = y = z = 0.0
    for j in range(size):
        a = cell.local[k, j]
        x += cell.xyz[a, 0]
        y += cell.xyz[a, 1]
        z += cell.xyz[a, 2]
    out[0], out[1], out[2] = x / size, y / size, z / size


@njit(cache=True, error_model="numpy")
def face_vector(cell, k, out):
    """Area vector of face k: half the sum of its corners' cross products."""
    size = cell.size[k]
    a = cell.local[k, 0]
    b = cell.local[k, 1]
    ax, ay, az = cell.xyz[a, 0], cell.xyz[a, 1], cell.xyz[a, 2]
    ux, uy, uz = cell.xyz[b, 0] - ax, cell.xyz[b, 1] - ay, cell.xyz[b, 2] - az
    x = y = z = 0.0
    for j in range(2, size):
        c = cell.local[k, j]
        vx, vy, vz = cell.xyz[c, 0] - ax, cell.xyz[c, 1] - ay, cell.xyz[c, 2] - az
        x += uy * vz - uz * vy
        y += uz * vx - ux * vz
        z += ux * vy - uy * vx
        ux, uy, uz = vx, vy, vz
    out[0], out[1], out[2] = 0.5 * x, 0.5 * y, 0.5 * z


@njit(cache=True, error_model="numpy")
def wedge_volume(cell, k, apex, centre):
    """Least volume of the tetrahedra from `apex` over the triangles of face k, then their sum.

    A triangle is one; a face with more nodes is parted from its centre, as in all of this code.
    """
    size = cell.size[k]
    px, py, pz = apex[0], apex[1], apex[2]
    if size == 3:
        c = cell.local[k, 2]
        wx, wy, wz = cell.xyz[c, 0] - px, cell.xyz[c, 1] - py, cell.xyz[c, 2] - pz
        a = cell.local[k, 0]
    else:
        wx, wy, wz = centre[0] - px, centre[1] - py, centre[2] - pz
        a = cell.local[k, size - 1]
    ux, uy, uz = cell.xyz[a, 0] - px, cell.xyz[a, 1] - py, cell.xyz[a, 2] - pz
    least = np.inf
    total = 0.0
    for j in range(size if size > 3 else 1):
        b = cell.local[k, j if size > 3 else 1]
        vx, vy, vz = cell.xyz[b, 0] - px, cell.xyz[b, 1] - py, cell.xyz[b, 2] - pz
        one = ux * (vy * wz - vz * wy) + uy * (vz * wx - vx * wz) + uz * (vx * wy - vy * wx)
        least = min(least, one)
        total += one
        ux, uy, uz = vx, vy, vz
    return least / 6.0, total / 6.0
