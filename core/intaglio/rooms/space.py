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
from intaglio.rooms.balls import ball, passage, stuck_at
from intaglio.volume.complex import N_POINTS, N_TETS, Complex, live
from intaglio.volume.delaunay import delaunay_complex

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Bools = NDArray[np.bool_]

# corners of a box so many times as large stand around the points: what reaches them is outside
_BOX = 3.0


@dataclass(frozen=True)
class Space:
    """Balls between points. points (n, 3), the eight from `box` on those of a wide box around; tets
    (t, 4) and beside (t, 4): the tetrahedron across the face opposite each node, -1 beyond the box;
    centre (t, 3) and radius (t,) of the ball of each; passing (t, 4): radius of the largest that
    goes through each face; outside (t,): those whose balls are centred beyond all points."""

    points: Floats
    box: int
    tets: Ints
    beside: Ints
    centre: Floats
    radius: Floats
    passing: Floats
    outside: Bools


@dataclass(frozen=True)
class Boxed:
    """Points with the corners of a wide box after them: points (n + 8, 3), box: n, and the limits
    (6,) of the points without it, low and high corner."""

    points: Floats
    box: int
    limits: Floats


def boxed(points: Floats) -> Boxed:
    """Points (n, 3) with a box around them."""
    low, high = points.min(axis=0), points.max(axis=0)
    middle, reach = 0.5 * (low + high), _BOX * 0.5 * float(np.linalg.norm(high - low))
    corners = np.array([[i & 1, (i >> 1) & 1, (i >> 2) & 1] for i in range(8)]) * 2.0 - 1.0
    # not quite a cube: its corners would lie on one sphere
    stretch = 1.0 + 0.05 * np.arange(8)[:, None] / 8
    every = np.ascontiguousarray(np.concatenate([points, middle + reach * corners * stretch]))
    return Boxed(every, len(points), np.concatenate([low, high]))


def space_between(points: Floats) -> Space:
    """The space around and between points (n, 3), no two in one place. Raises AllCoplanar."""
    around = boxed(points)
    cx, _ = delaunay_complex(around.points, ahead=8)
    return space_of(cx, around)[0]


def space_of(cx: Complex, around: Boxed) -> tuple[Space, NDArray[np.int64]]:
    """The space of a Delaunay complex of points with a box around them, and maybe more points on
    them since; the complex's rows (t,) of its tetrahedra."""
    points = cx.points[: int(cx.tally[N_POINTS])]
    rows = live(cx)
    number = np.full(int(cx.tally[N_TETS]), -1, np.int32)
    number[rows] = np.arange(len(rows), dtype=np.int32)
    tets, beside = cx.tets[rows], number[cx.nbr[rows] >> 2]
    centre, radius = np.empty((len(tets), 3)), np.empty(len(tets))
    in_chunks(lambda a, b: _balls(points, tets, centre, radius, a, b), len(tets))
    passing = np.empty((len(tets), 4))
    in_chunks(lambda a, b: _passing(points, tets, beside, centre, radius, passing, a, b), len(tets))
    low, high = around.limits[:3], around.limits[3:]
    corner = (tets >= around.box) & (tets < around.box + 8)
    outside = np.zeros(len(tets), bool)
    outside |= corner.any(axis=1)
    outside |= ((centre < low) | (centre > high)).any(axis=1)
    return Space(points, around.box, tets, beside, centre, radius, passing, outside), rows


def narrowest(space: Space, t: NDArray[np.int64], i: NDArray[np.int64]) -> Floats:
    """Where the largest ball that goes through the faces opposite nodes i (k,) of tetrahedra t (k,)
    is stuck: places (k, 3)."""
    out = np.empty((len(t), 3))
    _stuck(space.points, space.tets, space.beside, space.centre, space.radius, t, i, out)
    return out


@njit(cache=True)
def _stuck(points, tets, beside, centre, radius, t, i, out):
    for k in range(t.shape[0]):
        stuck_at(points, tets, centre, radius, t[k], i[k], beside[t[k], i[k]], out[k])


@njit(cache=True, nogil=True)
def _balls(points, tets, centre, radius, start, end):
    """The ball of each tetrahedron of a range."""
    for t in range(start, end):
        radius[t] = ball(points, tets, t, centre)


@njit(cache=True, nogil=True)
def _passing(points, tets, beside, centre, radius, out, start, end):
    """The largest ball through each face of a range of tetrahedra."""
    for t in range(start, end):
        for i in range(4):
            u = beside[t, i]
            out[t, i] = passage(points, tets, centre, radius, t, i, u) if u >= 0 else radius[t]
