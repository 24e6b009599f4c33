"""The space between points, by the largest balls in it: where they sit, and what lies between them.

The Delaunay tetrahedra's circumspheres are the balls that touch four points and hold none; a ball
goes from one to the next along the Voronoi edge between their centres, and is narrowest where that
edge passes the plane of the triangle between them (H. Edelsbrunner, E. Mücke, "Three-dimensional
alpha shapes", ACM Trans. Graphics 13, 1994).
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.chunks import in_chunks
from intaglio.volume.complex import FACE, N_TETS, live
from intaglio.volume.delaunay import delaunay_complex

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

# corners of a box so many times as large stand around the points: what reaches them is outside
_BOX = 3.0
# a tetrahedron with less volume than this share of its longest edge cubed has no centre to rely on
_FLAT = 1e-11


@dataclass(frozen=True)
class Space:
    """Balls between points. points (n, 3), the last eight those of a wide box around; tets (t, 4)
    and beside (t, 4): the tetrahedron across the face opposite each node, -1 beyond the box; centre
    (t, 3) and radius (t,) of the ball of each; passing (t, 4): radius of the largest that goes
    through each face; outside (t,): those whose balls are centred beyond all points."""

    points: Floats
    tets: Ints
    beside: Ints
    centre: Floats
    radius: Floats
    passing: Floats
    outside: NDArray[np.bool_]


def space_between(points: Floats) -> Space:
    """The space around and between points (n, 3), no two in one place. Raises AllCoplanar."""
    low, high = points.min(axis=0), points.max(axis=0)
    middle, reach = 0.5 * (low + high), _BOX * 0.5 * float(np.linalg.norm(high - low))
    corners = np.array([[i & 1, (i >> 1) & 1, (i >> 2) & 1] for i in range(8)]) * 2.0 - 1.0
    # not quite a cube: its corners would lie on one sphere
    stretch = 1.0 + 0.05 * np.arange(8)[:, None] / 8
    every = np.concatenate([points, middle + reach * corners * stretch])
    cx, _ = delaunay_complex(np.ascontiguousarray(every), ahead=8)
    rows = live(cx)
    number = np.full(int(cx.tally[N_TETS]), -1, np.int32)
    number[rows] = np.arange(len(rows), dtype=np.int32)
    tets, beside = cx.tets[rows], number[cx.nbr[rows] >> 2]
    centre, radius = np.empty((len(tets), 3)), np.empty(len(tets))
    in_chunks(lambda a, b: _balls(every, tets, centre, radius, a, b), len(tets))
    passing = np.empty((len(tets), 4))
    in_chunks(lambda a, b: _passing(every, tets, beside, centre, radius, passing, a, b), len(tets))
    outside = (tets >= len(points)).any(axis=1) | ((centre < low) | (centre > high)).any(axis=1)
    return Space(every, tets, beside, centre, radius, passing, outside)


def narrowest(space: Space, t: NDArray[np.int64], i: NDArray[np.int64]) -> Floats:
    """Where the largest ball that goes through the faces opposite nodes i (k,) of tetrahedra t (k,)
    is stuck: places (k, 3)."""
    other = space.beside[t, i]
    smaller = np.where(space.radius[t] <= space.radius[other], t, other)
    out = np.empty((len(t), 3))
    _middles(space.points, space.tets, t, i, out)
    # where the way does not pass the triangle's plane, one end is the narrowest
    ends = space.passing[t, i] >= np.minimum(space.radius[t], space.radius[other])
    out[ends] = space.centre[smaller[ends]]
    return out


@njit(cache=True)
def _middles(points, tets, t, i, out):
    """Centre of the circle around the face opposite node i of each tetrahedron t."""
    for k in range(t.shape[0]):
        nodes = tets[t[k]]
        p = points[nodes[FACE[i[k], 0]]]
        u = points[nodes[FACE[i[k], 1]]] - p
        v = points[nodes[FACE[i[k], 2]]] - p
        n = np.cross(u, v)
        square = (n * n).sum()
        out[k] = p
        if square > 0.0:
            away = (u * u).sum() * np.cross(v, n) + (v * v).sum() * np.cross(n, u)
            out[k] += away / (2.0 * square)


@njit(cache=True, nogil=True)
def _balls(points, tets, centre, radius, start, end):
    """Circumcentre and circumradius of each tetrahedron of a range; of a flat one the middle and
    the largest of its faces' circles."""
    side = np.empty((3, 3))
    for t in range(start, end):
        base = points[tets[t, 0]]
        longest = 0.0
        for i in range(3):
            for k in range(3):
                side[i, k] = points[tets[t, i + 1], k] - base[k]
            longest = max(longest, (side[i] * side[i]).sum())
        a, b, c = side[0], side[1], side[2]
        ab, bc, ca = np.cross(a, b), np.cross(b, c), np.cross(c, a)
        six = (a * bc).sum()
        if abs(six) > _FLAT * longest**1.5:
            away = ((a * a).sum() * bc + (b * b).sum() * ca + (c * c).sum() * ab) / (2.0 * six)
            radius[t] = np.sqrt((away * away).sum())
            centre[t] = base + away
            continue
        radius[t] = 0.0
        for k in range(3):
            centre[t, k] = base[k] + 0.25 * (a[k] + b[k] + c[k])
        for i in range(4):
            radius[t] = max(radius[t], _circle(points, tets[t], i)[0])


@njit(cache=True, nogil=True)
def _circle(points, nodes, i):
    """Circumradius and normal (of any length) of the face opposite node i of a tetrahedron."""
    p = points[nodes[FACE[i, 0]]]
    u = points[nodes[FACE[i, 1]]] - p
    v = points[nodes[FACE[i, 2]]] - p
    w = v - u
    normal = np.cross(u, v)
    area = np.sqrt((normal * normal).sum())
    sides = np.sqrt((u * u).sum()) * np.sqrt((v * v).sum()) * np.sqrt((w * w).sum())
    return (sides / (2.0 * area) if area > 0.0 else np.inf), normal


@njit(cache=True, nogil=True)
def _passing(points, tets, beside, centre, radius, out, start, end):
    """The largest ball through each face of a range of tetrahedra."""
    for t in range(start, end):
        for i in range(4):
            other = beside[t, i]
            if other < 0:
                out[t, i] = radius[t]
                continue
            # both sides work it out alike
            one = t if t < other else other
            far = other if t < other else t
            j = i
            if one != t:
                j = 0
                while beside[one, j] != far or not _same_face(tets, one, j, t, i):
                    j += 1
            circle, normal = _circle(points, tets[one], j)
            p = points[tets[one, FACE[j, 0]]]
            mine = (normal * (centre[one] - p)).sum()
            theirs = (normal * (centre[far] - p)).sum()
            least = min(radius[one], radius[far])
            out[t, i] = min(circle, least) if mine >= 0.0 >= theirs else least


@njit(cache=True, nogil=True, inline="always")
def _same_face(tets, one, j, two, i):
    """Whether the face opposite node j of a tetrahedron has the nodes of that opposite node i of
    another."""
    for k in range(4):
        if k == j:
            continue
        found = False
        for m in range(4):
            if m != i and tets[two, m] == tets[one, k]:
                found = True
        if not found:
            return False
    return True
