"""Incremental Delaunay tetrahedra with exact predicates.

Method: points in biased randomised Hilbert order; each is located by a visibility walk and inserted
by the cavity of all tetrahedra whose circumsphere holds it (Bowyer 1981, Watson 1981), the space
beyond the hull filled with ghost tetrahedra. A point on a sphere counts as outside it; with exact
signs the cavity then always is star-shaped, whatever is co-planar or co-spherical.

The loop over points is one function of plain arrays: passing arrays between compiled functions, or
taking them out of a tuple inside the loop, counts references and costs a third of the time. The
points are put in the order of insertion first, so that neighbours in space are so in memory.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.inlining import inlined
from intaglio.numeric.order import insertion_order
from intaglio.numeric.predicates import orient3d
from intaglio.volume.cavity import (
    NOTHING,
    TOO_LARGE,
    dig,
    empty_cavity,
    is_ghost,
    number_shell,
    refill,
    walk,
)
from intaglio.volume.complex import (
    FACE,
    LAST,
    N_TETS,
    STAMP,
    Complex,
    empty_complex,
    glue,
    grown,
    live,
    renumber,
    set_incidence,
    take,
)

# free rows kept ready: more than one node's cavity ever takes
_ROOM = 4096
# nodes on a shell before its table of edges grows
_SHELL_NODES = 64
# a walk among Delaunay tetrahedra always ends
_NO_LIMIT = 1 << 62


class AllCoplanar(ValueError):
    """The points lie in one plane, so that no tetrahedron exists."""


@njit(cache=True)
def _insert_range(p, tets, nbr, lock, seen, free, local, tally, face, cavity, start, stop):
    """Insert nodes start..stop; the node reached before room ran out, or TOO_LARGE."""
    opposite = np.empty((_SHELL_NODES, _SHELL_NODES), np.int32)
    for v in range(start, stop):
        if tally[N_TETS] + _ROOM > tets.shape[0]:
            return v
        t = tally[LAST]
        if is_ghost(tets, t):
            t = _beside(tets, nbr, t)
        t = walk(p, tets, nbr, lock, face, t, v, _NO_LIMIT, False)
        if _repeats(p, tets, t, v):
            tally[LAST] = t
            continue
        tally[STAMP] += 2
        n_gone, n_shell = dig(
            p, tets, nbr, lock, seen, local, face, cavity, t, v, tally[STAMP], NOTHING, True
        )
        if n_gone == TOO_LARGE:
            return TOO_LARGE
        nodes = number_shell(cavity.base, n_shell, local)
        if nodes > opposite.shape[0]:
            opposite = np.empty((2 * nodes, 2 * nodes), np.int32)
        refill(tets, nbr, seen, free, local, tally, cavity, n_gone, n_shell, v, opposite)
    return stop


@inlined
def _beside(tets, nbr, t):
    """The tetrahedron at the hull face of ghost t."""
    i = 0
    while tets[t, i] >= 0:
        i += 1
    return nbr[t, i] >> 2


@inlined
def _repeats(p, tets, t, v):
    """Whether node v stands on a node of t."""
    for i in range(4):
        u = tets[t, i]
        if u >= 0 and p[u, 0] == p[v, 0] and p[u, 1] == p[v, 1] and p[u, 2] == p[v, 2]:
            return True
    return False


@njit(cache=True)
def _first_tet(p, order):
    """Positions in order of four nodes that span space (the first found), or -1 in the fourth."""
    n = order.size
    pick = np.full(4, -1, np.int64)
    a = order[0]
    pick[0] = 0
    for k in range(1, n):
        u = order[k]
        if p[u, 0] != p[a, 0] or p[u, 1] != p[a, 1] or p[u, 2] != p[a, 2]:
            pick[1] = k
            break
    if pick[1] < 0:
        return pick
    b = order[pick[1]]
    for k in range(pick[1] + 1, n):
        u = order[k]
        ux = p[b, 0] - p[a, 0]
        uy = p[b, 1] - p[a, 1]
        uz = p[b, 2] - p[a, 2]
        vx = p[u, 0] - p[a, 0]
        vy = p[u, 1] - p[a, 1]
        vz = p[u, 2] - p[a, 2]
        x = uy * vz - uz * vy
        y = uz * vx - ux * vz
        z = ux * vy - uy * vx
        scale = (ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz)
        if x * x + y * y + z * z > 1e-20 * scale:
            pick[2] = k
            break
    if pick[2] < 0:
        return pick
    c = order[pick[2]]
    for k in range(1, n):
        if orient3d(p, a, b, c, order[k]) != 0:
            pick[3] = k
            break
    return pick


@njit(cache=True)
def _start(cx, a, b, c, d):
    if orient3d(cx.points, a, b, c, d) < 0:
        a, b = b, a
    t = take(cx)
    cx.tets[t, 0] = a
    cx.tets[t, 1] = b
    cx.tets[t, 2] = c
    cx.tets[t, 3] = d
    ghosts = np.empty(4, np.int32)
    for i in range(4):
        g = take(cx)
        ghosts[i] = g
        # the ghost's base is the face turned around
        cx.tets[g, 0] = cx.tets[t, FACE[i, 1]]
        cx.tets[g, 1] = cx.tets[t, FACE[i, 0]]
        cx.tets[g, 2] = cx.tets[t, FACE[i, 2]]
        cx.tets[g, 3] = -1
        glue(cx, g, 3, 4 * t + i)
    for i in range(4):
        for j in range(i):
            # ghosts i and j share the edge that misses nodes i and j of t
            fi = -1
            fj = -1
            for k in range(3):
                if cx.tets[ghosts[i], k] == cx.tets[t, j]:
                    fi = k
                if cx.tets[ghosts[j], k] == cx.tets[t, i]:
                    fj = k
            glue(cx, ghosts[i], fi, 4 * ghosts[j] + fj)
    cx.tally[LAST] = t


def delaunay_complex(
    points: NDArray[np.float64], room: int = 0, seed: int = 1, ahead: int = 0
) -> tuple[Complex, NDArray[np.int64]]:
    """Delaunay complex of points (n, 3), ghosts included, with room for more points.

    The last `ahead` points are inserted before all others: corners of a box around these, say, so
    that none of them is added outside a large flat hull, whose every face it would replace.
    Returns the complex and the insertion order. Raises AllCoplanar if no tetrahedron exists.
    A point that repeats another is left without tetrahedra.
    """
    early = len(points) - ahead
    order = insertion_order(points, seed)
    order = np.concatenate([np.arange(early, len(points)), order[order < early]])
    pick = _first_tet(points, order)
    if pick[3] < 0:
        raise AllCoplanar(f"{len(points)} points lie in one plane")
    order = np.concatenate([order[pick], np.delete(order, pick)])
    cx = empty_complex(points[order], int(7.2 * len(points)) + 8192, room)
    _start(cx, 0, 1, 2, 3)
    cavity = empty_cavity()
    done = 4
    while done < len(order):
        done = _insert_range(
            cx.points, cx.tets, cx.nbr, cx.lock, cx.seen, cx.free, cx.local, cx.tally, FACE,
            cavity, done, len(order),
        )  # fmt: skip
        if done == TOO_LARGE:
            raise MemoryError("a point conflicts with too many tetrahedra")
        if done < len(order):
            cx = grown(cx, int(1.4 * len(cx.tets)) + 8192, len(cx.points))
    cx.points[: len(points)] = points
    renumber(cx.tets, int(cx.tally[N_TETS]), order)
    set_incidence(cx)
    return cx, order


def delaunay(points: NDArray[np.float64]) -> NDArray[np.int32]:
    """Delaunay tetrahedra (m, 4), positively oriented, of points (n, 3) in any unit."""
    cx, _ = delaunay_complex(np.ascontiguousarray(points, np.float64))
    return cx.tets[: cx.tally[N_TETS]][live(cx)]
