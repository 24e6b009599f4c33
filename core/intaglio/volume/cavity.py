"""Inserting one node into a complex: the walk to it, the cavity it makes, the cells that fill it.

A node replaces the tetrahedra whose circumsphere holds it (A. Bowyer, D. F. Watson, both The
Computer Journal 24, 1981): they are the cavity, its faces the shell. `delaunay` and `insertion`
share what stands here; they differ in what may stop the cavity and in when a node is refused.

These functions are inlined where they are called: a call that hands over a dozen arrays in the
inner loop would cost a third of the time.
"""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.inlining import inlined
from intaglio.numeric.predicates import insphere, orient3d, orient_filter, sphere_filter
from intaglio.volume.complex import FREE, LAST, N_FREE, N_TETS

# room for the faces of one shell; a cavity that needs more is given up
WORK = 1 << 16
# a cavity is looked at only between its tetrahedra, each of which adds up to four faces
_SPARE = 8
TOO_LARGE = -1
# no step of a walk leads through a locked face
BLOCKED = -1
# a mark that no tetrahedron bears
NOTHING = -1


class Cavity(NamedTuple):
    """Working arrays of one insertion, used again for each node."""

    gone: NDArray[np.int32]  # (WORK,) tetrahedra that must go, the one that holds the node first
    owner: NDArray[np.int32]  # (WORK,) 4 t + i of each face of the shell, t inside
    beyond: NDArray[np.int32]  # (WORK,) 4 t + i of the same face, t outside
    base: NDArray[np.int32]  # (WORK, 3) nodes of each face of the shell
    made: NDArray[np.int32]  # (WORK,) the tetrahedron built on each face of the shell


def empty_cavity() -> Cavity:
    """Working arrays for one thread."""
    gone, owner, beyond, made = np.empty((4, WORK), np.int32)
    return Cavity(gone, owner, beyond, np.empty((WORK, 3), np.int32), made)


@inlined
def side_of_face(p, tets, face, t, i, v, x, y, z):
    """Sign of the volume over face i of t (seen from inside) with node v as its apex, exact."""
    a = tets[t, face[i, 0]]
    b = tets[t, face[i, 1]]
    c = tets[t, face[i, 2]]
    return side_of_triangle(p, a, b, c, v, x, y, z)


@inlined
def side_of_triangle(p, a, b, c, v, x, y, z):
    """Sign of the volume of tetrahedron abcv, exact; by the filter alone where that is enough.

    x, y, z are those of v: the caller keeps them at hand, the compiler would read them each time.
    """
    side = orient_filter(
        p[a, 0] - x, p[a, 1] - y, p[a, 2] - z,
        p[b, 0] - x, p[b, 1] - y, p[b, 2] - z,
        p[c, 0] - x, p[c, 1] - y, p[c, 2] - z,
    )  # fmt: skip
    if side == 0:
        side = orient3d(p, a, b, c, v)
    return side


@inlined
def in_sphere(p, a, b, c, d, v, x, y, z):
    """Sign of node v, at x, y, z, against the sphere through abcd: 1 inside, exact."""
    side = sphere_filter(
        p[a, 0] - x, p[a, 1] - y, p[a, 2] - z,
        p[b, 0] - x, p[b, 1] - y, p[b, 2] - z,
        p[c, 0] - x, p[c, 1] - y, p[c, 2] - z,
        p[d, 0] - x, p[d, 1] - y, p[d, 2] - z,
    )  # fmt: skip
    if side == 0:
        side = insphere(p, a, b, c, d, v)
    return side


@inlined
def is_ghost(tets, t):
    """Whether row t has a node beyond the hull (a negative one)."""
    return (tets[t, 0] | tets[t, 1] | tets[t, 2] | tets[t, 3]) < 0


@inlined
def walk(p, tets, nbr, lock, face, t, v, most, locks):
    """The tetrahedron that holds node v, from t on; the ghost beyond the hull face that v sees.

    `locks`: whether any face may be locked; where none is, the array is not read at all.

    A visibility walk: O. Devillers, S. Pion, M. Teillaud, "Walking in a triangulation" (2002), the
    face that it tries first turning with each step. BLOCKED if only locked faces lead on, or after
    `most` steps: among tetrahedra that are not Delaunay a walk may go round in a circle.
    """
    x = p[v, 0]
    y = p[v, 1]
    z = p[v, 2]
    came = -1
    turn = 0
    while turn < most:
        moved = False
        blocked = False
        for k in range(4):
            i = (k + turn) & 3
            if i == came or side_of_face(p, tets, face, t, i, v, x, y, z) >= 0:
                continue
            if locks and (lock[t] >> i) & 1:
                blocked = True
                continue
            code = nbr[t, i]
            t = code >> 2
            came = code & 3
            moved = True
            break
        turn += 1
        if not moved:
            return BLOCKED if blocked else t
        if is_ghost(tets, t):
            return t
    return BLOCKED


@njit(cache=True)
def ghost_conflicts(p, tets, nbr, face, t, v):
    """Whether the ghost t must go when node v comes: v lies beyond its hull face, or on it."""
    i = 0
    while tets[t, i] >= 0:
        i += 1
    side = orient3d(p, tets[t, face[i, 0]], tets[t, face[i, 1]], tets[t, face[i, 2]], v)
    if side != 0:
        return side > 0
    u = nbr[t, i] >> 2
    return insphere(p, tets[u, 0], tets[u, 1], tets[u, 2], tets[u, 3], v) > 0


@inlined
def dig(p, tets, nbr, lock, seen, local, face, cavity, first, v, stamp, banned, hull):
    """The cavity of node v from tetrahedron `first` on: (tetrahedra, faces of the shell).

    Of a complex within its hull (`hull`) it takes ghosts too, and no face is locked; else it stops
    at locked faces, at ghosts and at tetrahedra marked `banned`. seen gets `stamp` for what is
    inside, stamp - 1 for what was looked at and stays; local gets -1 at the nodes of the shell.
    (TOO_LARGE, 0) if it outgrows the working arrays.
    """
    inside = stamp
    outside = stamp - 1
    gone, owner, beyond, base = cavity.gone, cavity.owner, cavity.beyond, cavity.base
    x = p[v, 0]
    y = p[v, 1]
    z = p[v, 2]
    gone[0] = first
    seen[first] = inside
    n_gone = 1
    n_shell = 0
    k = 0
    while k < n_gone:
        t = gone[k]
        k += 1
        locked = 0 if hull else lock[t]
        for i in range(4):
            code = nbr[t, i]
            if not (locked >> i) & 1:
                u = code >> 2
                mark = seen[u]
                if mark == inside:
                    continue
                if mark != outside and (hull or mark != banned):
                    if not is_ghost(tets, u):
                        a, b, c, d = tets[u, 0], tets[u, 1], tets[u, 2], tets[u, 3]
                        conflicts = in_sphere(p, a, b, c, d, v, x, y, z) > 0
                    else:
                        conflicts = hull and ghost_conflicts(p, tets, nbr, face, u, v)
                    if conflicts:
                        seen[u] = inside
                        gone[n_gone] = u
                        n_gone += 1
                        continue
                    seen[u] = outside
            owner[n_shell] = 4 * t + i
            beyond[n_shell] = code
            a = tets[t, face[i, 0]]
            b = tets[t, face[i, 1]]
            c = tets[t, face[i, 2]]
            base[n_shell, 0] = a
            base[n_shell, 1] = b
            base[n_shell, 2] = c
            local[a] = -1
            local[b] = -1
            local[c] = -1
            n_shell += 1
        if n_gone >= WORK - _SPARE or n_shell >= WORK - _SPARE:
            return TOO_LARGE, 0
    return n_gone, n_shell


@inlined
def number_shell(base, n_shell, local):
    """Number the nodes of the shell in local (negative before), 0 on; how many there are."""
    nodes = 0
    for k in range(n_shell):
        for j in range(3):
            u = base[k, j]
            if local[u] < 0:
                local[u] = nodes
                nodes += 1
    return nodes


@inlined
def refill(tets, nbr, seen, free, local, tally, cavity, n_gone, n_shell, v, opposite):
    """Put a tetrahedron with apex v on each face of the shell, in the rows of the cavity first.

    local numbers the shell's nodes, opposite (nodes, nodes) is scratch: the face at each directed
    edge of the shell, by which the new tetrahedra find each other. cavity.made gets their rows;
    base is overwritten with local numbers.
    """
    gone, beyond, base, made = cavity.gone, cavity.beyond, cavity.base, cavity.made
    for k in range(n_shell):
        if k < n_gone:
            new = gone[k]
        elif tally[N_FREE] > 0:
            tally[N_FREE] -= 1
            new = free[tally[N_FREE]]
        else:
            new = np.int32(tally[N_TETS])
            tally[N_TETS] += 1
        made[k] = new
        seen[new] = 0
        code = beyond[k]
        nbr[new, 3] = code
        nbr[code >> 2, code & 3] = 4 * new + 3
        a = base[k, 0]
        b = base[k, 1]
        c = base[k, 2]
        tets[new, 0] = a
        tets[new, 1] = b
        tets[new, 2] = c
        tets[new, 3] = v
        a = local[a]
        b = local[b]
        c = local[c]
        base[k, 0] = a
        base[k, 1] = b
        base[k, 2] = c
        opposite[b, c] = 4 * new
        opposite[c, a] = 4 * new + 1
        opposite[a, b] = 4 * new + 2
    for k in range(n_shell, n_gone):
        tets[gone[k], 0] = FREE
        free[tally[N_FREE]] = gone[k]
        tally[N_FREE] += 1
    for k in range(n_shell):
        new = made[k]
        nbr[new, 0] = opposite[base[k, 2], base[k, 1]]
        nbr[new, 1] = opposite[base[k, 0], base[k, 2]]
        nbr[new, 2] = opposite[base[k, 1], base[k, 0]]
    tally[LAST] = made[0]
