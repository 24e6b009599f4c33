"""Incremental Delaunay tetrahedra with exact predicates.

Method: points in biased randomised Hilbert order; each is located by a visibility walk and inserted
by the cavity of all tetrahedra whose circumsphere holds it (Bowyer 1981, Watson 1981), the space
beyond the hull filled with ghost tetrahedra. A point on a sphere counts as outside it; with exact
signs the cavity then always is star-shaped, whatever is co-planar or co-spherical.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.order import insertion_order
from intaglio.numeric.predicates import insphere, orient3d
from intaglio.volume.complex import (
    FACE,
    N_TETS,
    Complex,
    empty_complex,
    glue,
    live,
    release,
    take,
)

# what inserting a point came to
INSERTED = 0
DUPLICATE = 1
NO_ROOM = 2
REFUSED = 3


class AllCoplanar(ValueError):
    """The points lie in one plane, so that no tetrahedron exists."""


@njit(cache=True)
def conflicts(cx, t, v):
    """Whether the (perhaps ghost) tetrahedron t must go when node v comes."""
    p = cx.points
    a = cx.tets[t, 0]
    b = cx.tets[t, 1]
    c = cx.tets[t, 2]
    d = cx.tets[t, 3]
    if a >= 0 and b >= 0 and c >= 0 and d >= 0:
        return insphere(p, a, b, c, d, v) > 0
    for i in range(4):
        if cx.tets[t, i] < 0:
            side = orient3d(
                p, cx.tets[t, FACE[i, 0]], cx.tets[t, FACE[i, 1]], cx.tets[t, FACE[i, 2]], v
            )
            if side != 0:
                return side > 0
            inner = cx.nbr[t, i] >> 2
            return (
                insphere(
                    p,
                    cx.tets[inner, 0],
                    cx.tets[inner, 1],
                    cx.tets[inner, 2],
                    cx.tets[inner, 3],
                    v,
                )
                > 0
            )
    return False


@njit(cache=True)
def locate(cx, v, t):
    """A tetrahedron that holds node v, or the ghost beyond the hull face that v sees."""
    p = cx.points
    turn = 0
    for i in range(4):
        if cx.tets[t, i] < 0:
            t = cx.nbr[t, i] >> 2
            break
    came = -1
    while True:
        moved = False
        for k in range(4):
            i = (k + turn) & 3
            if i == came:
                continue
            if (
                orient3d(
                    p, cx.tets[t, FACE[i, 0]], cx.tets[t, FACE[i, 1]], cx.tets[t, FACE[i, 2]], v
                )
                < 0
            ):
                other = cx.nbr[t, i]
                t = other >> 2
                came = other & 3
                moved = True
                break
        turn += 1
        if not moved:
            return t
        if cx.tets[t, 0] < 0 or cx.tets[t, 1] < 0 or cx.tets[t, 2] < 0 or cx.tets[t, 3] < 0:
            return t


@njit(cache=True)
def fill_cavity(cx, v, n_shell, n_gone, matrix):
    """Replace the cavity work[:n_gone] by the cone from v over its faces work[W:W+n_shell].

    A shell entry is coded 4 t + i: face i of the cavity's tetrahedron t.
    """
    w = cx.work.size // 6
    gone = cx.work[:w]
    shell = cx.work[w : 2 * w]
    made = cx.work[2 * w : 3 * w]
    nodes = 0
    ghost = cx.local.size - 1
    for k in range(n_shell):
        t = shell[k] >> 2
        i = shell[k] & 3
        for j in range(3):
            u = cx.tets[t, FACE[i, j]]
            cx.local[u if u >= 0 else ghost] = -1
    for k in range(n_shell):
        t = shell[k] >> 2
        i = shell[k] & 3
        a = cx.tets[t, FACE[i, 0]]
        b = cx.tets[t, FACE[i, 1]]
        c = cx.tets[t, FACE[i, 2]]
        outside = cx.nbr[t, i]
        bit = (cx.lock[t] >> i) & 1
        new = take(cx)
        made[k] = new
        cx.tets[new, 0] = a
        cx.tets[new, 1] = b
        cx.tets[new, 2] = c
        cx.tets[new, 3] = v
        cx.zone[new] = cx.zone[t]
        cx.lock[new] = bit << 3
        glue(cx, new, 3, outside)
        for j in range(3):
            u = cx.tets[new, j]
            s = u if u >= 0 else ghost
            if cx.local[s] < 0:
                cx.local[s] = nodes
                nodes += 1
            if u >= 0:
                cx.at[u] = new
    cx.at[v] = made[0]
    if nodes > matrix.shape[0]:
        matrix = np.empty((nodes, nodes), np.int32)
    # face j of a new tetrahedron holds v and the edge opposite node j of its base
    for k in range(n_shell):
        new = made[k]
        l0 = cx.local[cx.tets[new, 0] if cx.tets[new, 0] >= 0 else ghost]
        l1 = cx.local[cx.tets[new, 1] if cx.tets[new, 1] >= 0 else ghost]
        l2 = cx.local[cx.tets[new, 2] if cx.tets[new, 2] >= 0 else ghost]
        matrix[l1, l2] = 4 * new
        matrix[l2, l0] = 4 * new + 1
        matrix[l0, l1] = 4 * new + 2
    for k in range(n_shell):
        new = made[k]
        l0 = cx.local[cx.tets[new, 0] if cx.tets[new, 0] >= 0 else ghost]
        l1 = cx.local[cx.tets[new, 1] if cx.tets[new, 1] >= 0 else ghost]
        l2 = cx.local[cx.tets[new, 2] if cx.tets[new, 2] >= 0 else ghost]
        cx.nbr[new, 0] = matrix[l2, l1]
        cx.nbr[new, 1] = matrix[l0, l2]
        cx.nbr[new, 2] = matrix[l1, l0]
    for k in range(n_gone):
        release(cx, gone[k])
    cx.tally[3] = made[0]
    return made[0]


@njit(cache=True)
def insert_delaunay(cx, v, hint, matrix):
    """Insert node v into a Delaunay complex without locked faces; what it came to."""
    w = cx.work.size // 6
    gone = cx.work[:w]
    shell = cx.work[w : 2 * w]
    t = locate(cx, v, hint)
    p = cx.points
    for i in range(4):
        u = cx.tets[t, i]
        if u >= 0 and p[u, 0] == p[v, 0] and p[u, 1] == p[v, 1] and p[u, 2] == p[v, 2]:
            cx.tally[3] = t
            return DUPLICATE
    cx.tally[2] += 2
    inside = cx.tally[2]
    outside = inside - 1
    gone[0] = t
    cx.seen[t] = inside
    n_gone = 1
    n_shell = 0
    k = 0
    while k < n_gone:
        t = gone[k]
        k += 1
        for i in range(4):
            t2 = cx.nbr[t, i] >> 2
            if cx.seen[t2] == inside:
                continue
            if cx.seen[t2] != outside:
                if conflicts(cx, t2, v):
                    cx.seen[t2] = inside
                    gone[n_gone] = t2
                    n_gone += 1
                    if n_gone >= w - 4:
                        return REFUSED
                    continue
                cx.seen[t2] = outside
            shell[n_shell] = 4 * t + i
            n_shell += 1
            if n_shell >= w - 4:
                return REFUSED
    fill_cavity(cx, v, n_shell, n_gone, matrix)
    return INSERTED


@njit(cache=True)
def insert_all(cx, order, start, stop):
    """Insert nodes order[start:stop]; the position reached before room ran out."""
    matrix = np.empty((256, 256), np.int32)
    capacity = cx.tets.shape[0]
    for k in range(start, stop):
        if cx.tally[0] + 4096 > capacity and cx.tally[0] - cx.tally[1] + 4096 > capacity:
            return k
        if insert_delaunay(cx, order[k], cx.tally[3], matrix) == REFUSED:
            return -1
    return stop


@njit(cache=True)
def _first_tet(cx, order):
    """Positions in order of four nodes that span space (the first found), or -1 in the fourth."""
    n = order.size
    p = cx.points
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
    points: NDArray[np.float64], room: int = 0, seed: int = 1
) -> tuple[Complex, NDArray[np.int64]]:
    """Delaunay complex of points (n, 3), ghosts included, with room for more points.

    Returns the complex and the insertion order. Raises AllCoplanar if no tetrahedron exists.
    A point that repeats another is left without tetrahedra.
    """
    order = insertion_order(points, seed)
    cx = empty_complex(points, int(7.6 * len(points)) + 8192, room)
    pick = _first_tet(cx, order)
    if pick[3] < 0:
        raise AllCoplanar(f"{len(points)} points lie in one plane")
    _start(cx, *(order[k] for k in pick))
    rest = np.delete(order, pick)
    done = 0
    while done < len(rest):
        done = insert_all(cx, rest, done, len(rest))
        if done < 0:
            raise MemoryError("a point conflicts with too many tetrahedra")
        if done < len(rest):
            from intaglio.volume.complex import grown

            cx = grown(cx, int(1.4 * len(cx.tets)) + 8192, len(cx.points))
    return cx, order


def delaunay(points: NDArray[np.float64]) -> NDArray[np.int32]:
    """Delaunay tetrahedra (m, 4), positively oriented, of points (n, 3) in any unit."""
    cx, _ = delaunay_complex(np.ascontiguousarray(points, np.float64))
    return cx.tets[: cx.tally[N_TETS]][live(cx)].copy()
