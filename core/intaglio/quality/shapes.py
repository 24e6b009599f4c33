"""How far single cells are from ideal ones: volume in their sphere, aspect, Jacobian, warp.

Sources: P. M. Knupp et al., "The Verdict geometric quality library" (SAND2007-1751) for the aspect
ratio, scaled Jacobian and equivolume skewness of tetrahedra, the edge ratio of the others, and the
scaled Jacobian of pyramids, prisms and hexahedra; a polyhedron has none.
"""

import numpy as np
from numba import njit

from intaglio.mesh.cells import HEXAHEDRON, POLYHEDRON, PYRAMID, TETRAHEDRON
from intaglio.mesh.loading import Raw, cell_room, load_cell, raw_arrays, room_for
from intaglio.mesh.mesh import Floats, Mesh
from intaglio.numeric.chunks import in_chunks
from intaglio.quality.corners import SPAN_COUNT, SPANS, edge_ways, span

# columns of what is measured per cell
EQUIVOLUME, ASPECT, JACOBIAN, EDGE_LENGTH = range(4)
# the tetrahedra at the corners of a pyramid's base, as nodes
_CORNERS = np.full((5, 4, 4), -1, np.int64)
_CORNERS[PYRAMID] = [(0, 1, 3, 4), (1, 2, 0, 4), (2, 3, 1, 4), (3, 0, 2, 4)]
# the value at a corner of the ideal cell, turned over
_IDEAL = np.array([0.0, np.sqrt(2.0), 2.0, 2.0 / np.sqrt(3.0), 1.0])
# of a flat cell: finite, so that it can be told
_MOST = 1e30
# a cell has no value of a metric that its shape does not define
NONE = np.nan


@njit(cache=True, error_model="numpy")
def _squared(x, a, b):
    """Square of the distance between the nodes a and b."""
    return (x[a, 0] - x[b, 0]) ** 2 + (x[a, 1] - x[b, 1]) ** 2 + (x[a, 2] - x[b, 2]) ** 2


@njit(cache=True, error_model="numpy")
def _triple(ux, uy, uz, vx, vy, vz, wx, wy, wz):
    return ux * (vy * wz - vz * wy) + uy * (vz * wx - vx * wz) + uz * (vx * wy - vy * wx)


@njit(cache=True, error_model="numpy")
def _across(x, a, b, c, d, e, f, g, h):
    """Four times the way from the middle of the nodes e, f, g, h to that of a, b, c, d."""
    return (
        x[a, 0] + x[b, 0] + x[c, 0] + x[d, 0] - x[e, 0] - x[f, 0] - x[g, 0] - x[h, 0],
        x[a, 1] + x[b, 1] + x[c, 1] + x[d, 1] - x[e, 1] - x[f, 1] - x[g, 1] - x[h, 1],
        x[a, 2] + x[b, 2] + x[c, 2] + x[d, 2] - x[e, 2] - x[f, 2] - x[g, 2] - x[h, 2],
    )


@njit(cache=True, error_model="numpy")
def _middle_value(cell):
    """The same of a hexahedron's three axes through its middle."""
    x = cell.xyz
    ux, uy, uz = _across(x, 1, 2, 5, 6, 0, 3, 4, 7)
    vx, vy, vz = _across(x, 2, 3, 6, 7, 0, 1, 4, 5)
    wx, wy, wz = _across(x, 4, 5, 6, 7, 0, 1, 2, 3)
    product = (
        (ux * ux + uy * uy + uz * uz)
        * (vx * vx + vy * vy + vz * vz)
        * (wx * wx + wy * wy + wz * wz)
    )
    triple = _triple(ux, uy, uz, vx, vy, vz, wx, wy, wz)
    return triple / np.sqrt(product) if product > 0.0 else 0.0


@njit(cache=True, error_model="numpy")
def _of_tet(cell, length, out):
    """Equivolume skewness, aspect ratio and scaled Jacobian of a tetrahedron; length (6,) of its
    edges 01, 02, 03, 12, 13, 23 in this order, squared."""
    x = cell.xyz
    a0, a1, a2 = x[1, 0], x[1, 1], x[1, 2]
    b0, b1, b2 = x[2, 0], x[2, 1], x[2, 2]
    c0, c1, c2 = x[3, 0], x[3, 1], x[3, 2]
    six = _triple(a0, a1, a2, b0, b1, b2, c0, c1, c2)
    bc0, bc1, bc2 = b1 * c2 - b2 * c1, b2 * c0 - b0 * c2, b0 * c1 - b1 * c0
    ca0, ca1, ca2 = c1 * a2 - c2 * a1, c2 * a0 - c0 * a2, c0 * a1 - c1 * a0
    ab0, ab1, ab2 = a1 * b2 - a2 * b1, a2 * b0 - a0 * b2, a0 * b1 - a1 * b0
    # twice the areas; the fourth face's vector closes the other three
    areas = (
        np.sqrt(bc0 * bc0 + bc1 * bc1 + bc2 * bc2)
        + np.sqrt(ca0 * ca0 + ca1 * ca1 + ca2 * ca2)
        + np.sqrt(ab0 * ab0 + ab1 * ab1 + ab2 * ab2)
        + np.sqrt((bc0 + ca0 + ab0) ** 2 + (bc1 + ca1 + ab1) ** 2 + (bc2 + ca2 + ab2) ** 2)
    )
    longest = 0.0
    for e in range(6):
        longest = max(longest, length[e])
    # circumcentre from the first node: (|a|² b×c + |b|² c×a + |c|² a×b) / (2 · six)
    ox = length[0] * bc0 + length[1] * ca0 + length[2] * ab0
    oy = length[0] * bc1 + length[1] * ca1 + length[2] * ab1
    oz = length[0] * bc2 + length[1] * ca2 + length[2] * ab2
    if six != 0.0:
        radius = 0.5 * np.sqrt(ox * ox + oy * oy + oz * oz) / abs(six)
        edge = radius / np.sqrt(0.375)
        ideal = np.sqrt(2.0) / 12.0 * edge * edge * edge
        out[EQUIVOLUME] = (ideal - six / 6.0) / ideal
        out[ASPECT] = np.sqrt(6.0) / 12.0 * np.sqrt(longest) * areas / abs(six)
    else:
        out[EQUIVOLUME] = 1.0
        out[ASPECT] = _MOST
    out[JACOBIAN] = np.sqrt(2.0) * _share_of_lengths(six, length)


@njit(cache=True, error_model="numpy")
def _share_of_lengths(six, length):
    """Six times a tetrahedron's volume over the largest product of three edges at a corner; length
    (6,) as in _of_tet."""
    product = max(
        max(length[0] * length[1] * length[2], length[0] * length[3] * length[4]),
        max(length[1] * length[3] * length[5], length[2] * length[4] * length[5]),
    )
    largest = max(np.sqrt(product), six)
    return six / largest if largest > 0.0 else 0.0


@njit(cache=True, error_model="numpy")
def _of_pyramid(cell, corners):
    """Least value of the four tetrahedra at the corners of the base."""
    x = cell.xyz
    length = np.empty(6)
    least = np.inf
    for k in range(4):
        e = 0
        for i in range(3):
            for j in range(i + 1, 4):
                a, b = corners[k, i], corners[k, j]
                length[e] = _squared(x, a, b)
                e += 1
        o, a, b, c = corners[k, 0], corners[k, 1], corners[k, 2], corners[k, 3]
        six = _triple(
            x[a, 0] - x[o, 0], x[a, 1] - x[o, 1], x[a, 2] - x[o, 2],
            x[b, 0] - x[o, 0], x[b, 1] - x[o, 1], x[b, 2] - x[o, 2],
            x[c, 0] - x[o, 0], x[c, 1] - x[o, 1], x[c, 2] - x[o, 2],
        )  # fmt: skip
        least = min(least, _share_of_lengths(six, length))
    return least


@njit(cache=True, nogil=True, error_model="numpy")
def _measure_shapes(raw, low, high, most, corners, spans, count, ideal, out):
    """The columns of out (cells, 4) for cells low..high."""
    cell = cell_room(most[0], most[1], most[2])
    length = np.empty(most[1] * most[2])
    way = np.empty((most[1] * most[2], 3))
    for c in range(low, high):
        _, _, edges = load_cell(raw, c, cell)
        shape = raw.shape[c]
        x = cell.xyz
        if shape == TETRAHEDRON:
            edges = 6
            e = 0
            for a in range(3):
                for b in range(a + 1, 4):
                    length[e] = _squared(x, a, b)
                    e += 1
            _of_tet(cell, length, out[c])
            for e in range(edges):
                length[e] = np.sqrt(length[e])
        else:
            edge_ways(cell, edges, way, length)
        total = 0.0
        shortest, longest = np.inf, 0.0
        for e in range(edges):
            shortest = min(shortest, length[e])
            longest = max(longest, length[e])
            total += length[e]
        out[c, EDGE_LENGTH] = total / edges if edges > 0 else NONE
        if shape == TETRAHEDRON:
            continue
        out[c, EQUIVOLUME] = NONE
        out[c, ASPECT] = min(longest / shortest, _MOST) if shortest > 0.0 else _MOST
        if shape == POLYHEDRON:
            out[c, JACOBIAN] = NONE
            continue
        if shape == PYRAMID:
            out[c, JACOBIAN] = ideal[shape] * _of_pyramid(cell, corners[shape])
            continue
        least = np.inf
        for k in range(count[shape]):
            least = min(least, span(way, spans[shape, k]))
        if shape == HEXAHEDRON:
            least = min(least, _middle_value(cell))
        out[c, JACOBIAN] = least * ideal[shape]


def measure_shapes(mesh: Mesh, raw: Raw | None = None) -> Floats:
    """Columns (c, 4) EQUIVOLUME, ASPECT, JACOBIAN and EDGE_LENGTH of every cell; NaN where its
    shape has none."""
    raw = raw_arrays(mesh) if raw is None else raw
    out = np.empty((mesh.cells, 4))
    most = room_for(mesh, raw)
    tables = (_CORNERS, SPANS, SPAN_COUNT, _IDEAL)
    in_chunks(lambda low, high: _measure_shapes(raw, low, high, most, *tables, out), mesh.cells)
    return out
