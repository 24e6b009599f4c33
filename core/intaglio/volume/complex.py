"""The tetrahedral complex that meshing works on: arrays with room to grow, and their bookkeeping.

Tetrahedron t has nodes tets[t, 0:4] in positive orientation. Face i lies opposite node i, its nodes
tets[t, FACE[i]] point inward by the right-hand rule. nbr[t, i] = 4 * t2 + j says that face i of t
is face j of t2. GHOST as a node marks a tetrahedron beyond the convex hull; a freed row has
tets[t, 0] == FREE. lock[t] holds a bit per face that belongs to the boundary and must stay.
"""

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

GHOST = -1
FREE = -2
FACE = np.array([[1, 3, 2], [0, 2, 3], [0, 3, 1], [0, 1, 2]], np.int32)
# as compiled code has it: else what is given it is compiled twice
FACE.setflags(write=False)

# slots of Complex.tally
N_TETS = 0  # rows in use, freed ones included
N_FREE = 1  # length of the stack of freed rows
STAMP = 2  # last stamp given out
LAST = 3  # a live tetrahedron near the last change
N_POINTS = 4


class Complex(NamedTuple):
    """Arrays of a tetrahedral complex; see the module's text for their meaning."""

    points: NDArray[np.float64]  # (capacity, 3)
    tets: NDArray[np.int32]  # (capacity, 4)
    nbr: NDArray[np.int32]  # (capacity, 4)
    lock: NDArray[np.uint8]  # (capacity,)
    zone: NDArray[np.int32]  # (capacity,)
    seen: NDArray[np.int32]  # (capacity,) stamp of the last visit
    free: NDArray[np.int32]  # stack of freed rows
    at: NDArray[np.int32]  # (points,) a tetrahedron at each point, maybe freed since
    local: NDArray[np.int32]  # (points + 1,) scratch: index within the current cavity
    tally: NDArray[np.int64]  # see the slots above


def empty_complex(points: NDArray[np.float64], tets: int, room: int = 0) -> Complex:
    """A complex with these points, `room` more to come, and room for so many tetrahedra."""
    n = len(points)
    held = np.zeros((n + room, 3))
    held[:n] = points
    count = np.zeros(8, np.int64)
    count[N_POINTS] = n
    return Complex(
        held,
        np.full((tets, 4), FREE, np.int32),
        np.full((tets, 4), -1, np.int32),
        np.zeros(tets, np.uint8),
        np.full(tets, -1, np.int32),
        np.zeros(tets, np.int32),
        np.zeros(tets, np.int32),
        np.full(n + room, -1, np.int32),
        np.zeros(n + room + 1, np.int32),
        count,
    )


def grown(cx: Complex, tets: int, points: int) -> Complex:
    """The same complex with room for at least so many rows of tetrahedra and points."""

    def longer(a: NDArray[Any], n: int, fill: int) -> NDArray[Any]:
        if len(a) >= n:
            return a
        out = np.full((n, *a.shape[1:]), fill, a.dtype)
        out[: len(a)] = a
        return out

    return Complex(
        longer(cx.points, points, 0),
        longer(cx.tets, tets, FREE),
        longer(cx.nbr, tets, -1),
        longer(cx.lock, tets, 0),
        longer(cx.zone, tets, -1),
        longer(cx.seen, tets, 0),
        longer(cx.free, tets, 0),
        longer(cx.at, points, -1),
        longer(cx.local, points + 1, 0),
        cx.tally,
    )


@njit(cache=True, inline="always")
def take(cx):
    """A free row for a new tetrahedron; the caller has made sure that there is room."""
    if cx.tally[N_FREE] > 0:
        cx.tally[N_FREE] -= 1
        t = cx.free[cx.tally[N_FREE]]
    else:
        t = np.int32(cx.tally[N_TETS])
        cx.tally[N_TETS] += 1
    cx.lock[t] = 0
    cx.seen[t] = 0
    return t


@njit(cache=True, inline="always")
def release(cx, t):
    """Give row t back."""
    cx.tets[t, 0] = FREE
    cx.free[cx.tally[N_FREE]] = t
    cx.tally[N_FREE] += 1


@njit(cache=True, inline="always")
def glue(cx, t, i, other):
    """Face i of t meets face `other` (coded 4 t + j)."""
    cx.nbr[t, i] = other
    cx.nbr[other >> 2, other & 3] = 4 * t + i


@njit(cache=True, inline="always")
def place(tets, t, v):
    """Position 0..3 of node v in tetrahedron t, or -1."""
    if tets[t, 0] == v:
        return 0
    if tets[t, 1] == v:
        return 1
    if tets[t, 2] == v:
        return 2
    if tets[t, 3] == v:
        return 3
    return -1


@njit(cache=True)
def gather_star(tets, nbr, seen, at, tally, v, out):
    """Tetrahedra at node v into out; their number, or -1 if out is too short."""
    first = at[v]
    tally[STAMP] += 1
    stamp = tally[STAMP]
    out[0] = first
    seen[first] = stamp
    n = 1
    k = 0
    while k < n:
        t = out[k]
        k += 1
        for f in range(4):
            if tets[t, f] == v:
                continue
            t2 = nbr[t, f] >> 2
            if seen[t2] != stamp:
                if n >= out.size:
                    return -1
                seen[t2] = stamp
                out[n] = t2
                n += 1
    return n


@njit(cache=True)
def star(cx, v, out):
    """Tetrahedra at node v into out; their number, or -1 if out is too short."""
    return gather_star(cx.tets, cx.nbr, cx.seen, cx.at, cx.tally, v, out)


@njit(cache=True)
def set_incidence(cx):
    """Point every node at one of its tetrahedra."""
    cx.at[:] = -1
    for t in range(cx.tally[N_TETS]):
        if cx.tets[t, 0] == FREE:
            continue
        for i in range(4):
            v = cx.tets[t, i]
            if v >= 0:
                cx.at[v] = t


@njit(cache=True)
def renumber(tets, n, number):
    """Put number[v] for each node v of the first n rows; ghosts and freed rows stay."""
    for t in range(n):
        for i in range(4):
            if tets[t, i] >= 0:
                tets[t, i] = number[tets[t, i]]


def live(cx: Complex) -> NDArray[np.int64]:
    """Rows of the tetrahedra that exist and touch no ghost."""
    tets = cx.tets[: cx.tally[N_TETS]]
    return np.flatnonzero((tets[:, 0] != FREE) & (tets >= 0).all(axis=1))
