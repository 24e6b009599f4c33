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

from intaglio.numeric.order import insertion_order
from intaglio.numeric.predicates import insphere, orient3d, orient_filter, sphere_filter
from intaglio.volume.complex import (
    FACE,
    N_TETS,
    WORK,
    Complex,
    empty_complex,
    glue,
    grown,
    live,
    renumber,
    set_incidence,
    take,
)


class AllCoplanar(ValueError):
    """The points lie in one plane, so that no tetrahedron exists."""


@njit(cache=True)
def _ghost_conflicts(p, tets, nbr, t, v):
    """Whether the ghost t must go when node v comes: v lies beyond its hull face, or on it."""
    i = 0
    while tets[t, i] >= 0:
        i += 1
    side = orient3d(p, tets[t, FACE[i, 0]], tets[t, FACE[i, 1]], tets[t, FACE[i, 2]], v)
    if side != 0:
        return side > 0
    u = nbr[t, i] >> 2
    return insphere(p, tets[u, 0], tets[u, 1], tets[u, 2], tets[u, 3], v) > 0


@njit(cache=True)
def _locate(p, tets, nbr, face, t, v):
    """A tetrahedron that holds node v, or the ghost beyond the hull face that v sees."""
    if (tets[t, 0] | tets[t, 1] | tets[t, 2] | tets[t, 3]) < 0:
        i = 0
        while tets[t, i] >= 0:
            i += 1
        t = nbr[t, i] >> 2
    x = p[v, 0]
    y = p[v, 1]
    z = p[v, 2]
    came = -1
    turn = 0
    while True:
        moved = False
        for k in range(4):
            i = (k + turn) & 3
            if i == came:
                continue
            a = tets[t, face[i, 0]]
            b = tets[t, face[i, 1]]
            c = tets[t, face[i, 2]]
            side = orient_filter(
                p[a, 0] - x, p[a, 1] - y, p[a, 2] - z,
                p[b, 0] - x, p[b, 1] - y, p[b, 2] - z,
                p[c, 0] - x, p[c, 1] - y, p[c, 2] - z,
            )  # fmt: skip
            if side == 0:
                side = orient3d(p, a, b, c, v)
            if side < 0:
                other = nbr[t, i]
                t = other >> 2
                came = other & 3
                moved = True
                break
        turn += 1
        if not moved or (tets[t, 0] | tets[t, 1] | tets[t, 2] | tets[t, 3]) < 0:
            return t


@njit(cache=True)
def _insert_range(p, tets, nbr, seen, free, local, tally, face, start, stop):
    """Insert nodes start..stop; the node reached before room ran out, -1 if a cavity is too large.

    Rows of the cavity are used again for the tetrahedra that fill it.
    """
    gone = np.empty(WORK, np.int32)
    beyond = np.empty(WORK, np.int32)  # what each new tetrahedron's base meets
    made = np.empty(WORK, np.int32)
    base = np.empty((WORK, 3), np.int32)
    side_of = np.empty((64, 64), np.int32)  # the face at a directed edge of the shell
    capacity = tets.shape[0]
    used = tally[0]
    n_free = tally[1]
    stamp = tally[2]
    last = tally[3]
    reached = stop
    for v in range(start, stop):
        if used + 4096 > capacity:
            reached = v
            break
        t = _locate(p, tets, nbr, face, last, v)
        x = p[v, 0]
        y = p[v, 1]
        z = p[v, 2]
        repeats = False
        for i in range(4):
            u = tets[t, i]
            if u >= 0 and p[u, 0] == x and p[u, 1] == y and p[u, 2] == z:
                repeats = True
        if repeats:
            last = t
            continue
        stamp += 2
        inside = stamp
        outside = stamp - 1
        gone[0] = t
        seen[t] = inside
        n_gone = 1
        n_shell = 0
        k = 0
        while k < n_gone:
            t = gone[k]
            k += 1
            for i in range(4):
                code = nbr[t, i]
                t2 = code >> 2
                mark = seen[t2]
                if mark == inside:
                    continue
                if mark != outside:
                    a = tets[t2, 0]
                    b = tets[t2, 1]
                    c = tets[t2, 2]
                    d = tets[t2, 3]
                    if (a | b | c | d) >= 0:
                        side = sphere_filter(
                            p[a, 0] - x, p[a, 1] - y, p[a, 2] - z,
                            p[b, 0] - x, p[b, 1] - y, p[b, 2] - z,
                            p[c, 0] - x, p[c, 1] - y, p[c, 2] - z,
                            p[d, 0] - x, p[d, 1] - y, p[d, 2] - z,
                        )  # fmt: skip
                        if side == 0:
                            side = insphere(p, a, b, c, d, v)
                    else:
                        side = 1 if _ghost_conflicts(p, tets, nbr, t2, v) else -1
                    if side > 0:
                        seen[t2] = inside
                        gone[n_gone] = t2
                        n_gone += 1
                        continue
                    seen[t2] = outside
                a = tets[t, face[i, 0]]
                b = tets[t, face[i, 1]]
                c = tets[t, face[i, 2]]
                base[n_shell, 0] = a
                base[n_shell, 1] = b
                base[n_shell, 2] = c
                local[a] = -1
                local[b] = -1
                local[c] = -1
                beyond[n_shell] = code
                n_shell += 1
            if n_gone >= WORK - 8 or n_shell >= WORK - 8:
                return -1
        nodes = 0
        for k in range(n_shell):
            if k < n_gone:
                new = gone[k]
            elif n_free > 0:
                n_free -= 1
                new = free[n_free]
            else:
                new = np.int32(used)
                used += 1
            a = base[k, 0]
            b = base[k, 1]
            c = base[k, 2]
            code = beyond[k]
            seen[new] = 0
            made[k] = new
            tets[new, 0] = a
            tets[new, 1] = b
            tets[new, 2] = c
            tets[new, 3] = v
            nbr[new, 3] = code
            nbr[code >> 2, code & 3] = 4 * new + 3
            if local[a] < 0:
                local[a] = nodes
                nodes += 1
            if local[b] < 0:
                local[b] = nodes
                nodes += 1
            if local[c] < 0:
                local[c] = nodes
                nodes += 1
            base[k, 0] = local[a]
            base[k, 1] = local[b]
            base[k, 2] = local[c]
        for k in range(n_shell, n_gone):
            tets[gone[k], 0] = -2
            free[n_free] = gone[k]
            n_free += 1
        if nodes > side_of.shape[0]:
            side_of = np.empty((2 * nodes, 2 * nodes), np.int32)
        for k in range(n_shell):
            code = 4 * made[k]
            side_of[base[k, 1], base[k, 2]] = code
            side_of[base[k, 2], base[k, 0]] = code + 1
            side_of[base[k, 0], base[k, 1]] = code + 2
        for k in range(n_shell):
            new = made[k]
            nbr[new, 0] = side_of[base[k, 2], base[k, 1]]
            nbr[new, 1] = side_of[base[k, 0], base[k, 2]]
            nbr[new, 2] = side_of[base[k, 1], base[k, 0]]
        last = made[0]
    tally[0] = used
    tally[1] = n_free
    tally[2] = stamp
    tally[3] = last
    return reached


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
    cx.tally[3] = t


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
    done = 4
    while done < len(order):
        done = _insert_range(
            cx.points, cx.tets, cx.nbr, cx.seen, cx.free, cx.local, cx.tally, FACE, done, len(order)
        )
        if done < 0:
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
