"""Corners of the standard shapes by their edges, so that each edge is measured once.

An edge of a shape runs as `Shape.edges` has it; where a corner needs it the other way round, the
sign of what it enters turns.
"""

import numpy as np
from numba import njit

from intaglio.mesh.cells import HEXAHEDRON, PRISM, SHAPES

# corners of faces: (edge, edge, sign, number of the face's nodes); sign times the dot product of
# the unit vectors along the edges is the cosine there
FACE_CORNERS = np.zeros((len(SHAPES), 24, 4), np.int64)
FACE_CORNER_COUNT = np.zeros(len(SHAPES), np.int64)
# corners of prisms and hexahedra: three edges, right-handed about the inside; ~e where an edge runs
# towards the corner
SPANS = np.zeros((len(SHAPES), 8, 3), np.int64)
SPAN_COUNT = np.zeros(len(SHAPES), np.int64)
_AROUND = {
    PRISM: ((0, 1, 2, 3), (1, 2, 0, 4), (2, 0, 1, 5), (3, 5, 4, 0), (4, 3, 5, 1), (5, 4, 3, 2)),
    HEXAHEDRON: (
        (0, 1, 3, 4), (1, 2, 0, 5), (2, 3, 1, 6), (3, 0, 2, 7),
        (4, 7, 5, 0), (5, 4, 6, 1), (6, 5, 7, 2), (7, 6, 4, 3),
    ),
}  # fmt: skip


def _edge(ends: dict[tuple[int, int], int], corner: int, other: int) -> tuple[int, int]:
    """The edge between two nodes, and 1 if it runs from the first."""
    if (corner, other) in ends:
        return ends[corner, other], 1
    return ends[other, corner], -1


for _s, _shape in enumerate(SHAPES):
    _ends = {(a, b): e for e, (a, b, _, _) in enumerate(_shape.edges)}
    for _face in _shape.faces:
        for _i, _node in enumerate(_face):
            _one, _way = _edge(_ends, _node, _face[_i - 1])
            _two, _back = _edge(_ends, _node, _face[(_i + 1) % len(_face)])
            _k = FACE_CORNER_COUNT[_s]
            FACE_CORNERS[_s, _k] = (_one, _two, _way * _back, len(_face))
            FACE_CORNER_COUNT[_s] += 1
    for _k, (_node, *_others) in enumerate(_AROUND.get(_s, ())):
        for _i, _other in enumerate(_others):
            _e, _way = _edge(_ends, _node, _other)
            SPANS[_s, _k, _i] = _e if _way > 0 else ~_e
        SPAN_COUNT[_s] = _k + 1


@njit(cache=True, error_model="numpy")
def edge_ways(cell, edges, way, length):
    """Unit vectors way (e, 3) along the loaded cell's edges, and their lengths (e,); a zero vector
    along an edge without a length."""
    for e in range(edges):
        a, b = cell.edge[e, 0], cell.edge[e, 1]
        x = cell.xyz[b, 0] - cell.xyz[a, 0]
        y = cell.xyz[b, 1] - cell.xyz[a, 1]
        z = cell.xyz[b, 2] - cell.xyz[a, 2]
        long = np.sqrt(x * x + y * y + z * z)
        length[e] = long
        share = 1.0 / long if long > 0.0 else 0.0
        way[e, 0], way[e, 1], way[e, 2] = share * x, share * y, share * z


@njit(cache=True, error_model="numpy")
def corner_cosines(way, corners, count, out):
    """Least and largest cosine at the corners of the triangles, then of the quadrilaterals, into
    out (4,); 2 and -2 where there are none."""
    low3 = low4 = 2.0
    high3 = high4 = -2.0
    for k in range(count):
        a, b = corners[k, 0], corners[k, 1]
        cosine = corners[k, 2] * (
            way[a, 0] * way[b, 0] + way[a, 1] * way[b, 1] + way[a, 2] * way[b, 2]
        )
        if corners[k, 3] == 3:
            low3, high3 = min(low3, cosine), max(high3, cosine)
        else:
            low4, high4 = min(low4, cosine), max(high4, cosine)
    out[0], out[1], out[2], out[3] = low3, high3, low4, high4


@njit(cache=True, error_model="numpy")
def span(way, corner):
    """Volume that the unit vectors along the three edges at a corner span."""
    a, b, c = corner[0], corner[1], corner[2]
    sign = 1.0
    if a < 0:
        a, sign = ~a, -sign
    if b < 0:
        b, sign = ~b, -sign
    if c < 0:
        c, sign = ~c, -sign
    return sign * (
        way[a, 0] * (way[b, 1] * way[c, 2] - way[b, 2] * way[c, 1])
        + way[a, 1] * (way[b, 2] * way[c, 0] - way[b, 0] * way[c, 2])
        + way[a, 2] * (way[b, 0] * way[c, 1] - way[b, 1] * way[c, 0])
    )
