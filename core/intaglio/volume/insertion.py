"""Inserting nodes into a complex whose boundary is locked.

The cavity is that of `delaunay`, but it does not pass locked faces, and tetrahedra whose faces the
new node would not see are kept out of it, one after the other (P. L. George, H. Borouchaki,
"Delaunay Triangulation and Meshing", 1998, section 2.5: correction of the cavity).
"""

import numpy as np
from numba import njit

from intaglio.numeric.predicates import insphere, orient3d, orient_filter, sphere_filter
from intaglio.volume.complex import FACE

# what inserting a node came to
REFUSED = 0
INSERTED = 1
DUPLICATE = 2

_CAVITY = 1 << 15


@njit(cache=True)
def walk_within(p, tets, nbr, lock, face, t, v):
    """The tetrahedron that holds node v, from t on, not through locked faces; -1 if blocked."""
    x = p[v, 0]
    y = p[v, 1]
    z = p[v, 2]
    turn = 0
    for _ in range(10000):
        moved = False
        blocked = False
        for k in range(4):
            i = (k + turn) & 3
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
                if (lock[t] >> i) & 1:
                    blocked = True
                    continue
                t = nbr[t, i] >> 2
                if (tets[t, 0] | tets[t, 1] | tets[t, 2] | tets[t, 3]) < 0:
                    return -1
                moved = True
                break
        turn += 1
        if not moved:
            return -1 if blocked else t
    return -1


@njit(cache=True)
def insert_range(
    p, tets, nbr, lock, zone, seen, free, at, local, tally, face, start, stop, hint, near, came
):
    """Insert nodes start..stop, each from tetrahedron hint[v - start]; the node reached.

    A node nearer than near[v - start] to one of its cavity, or that would bury one, is refused;
    came (stop - start,) gets REFUSED, INSERTED or DUPLICATE. Stops early when room runs out.
    """
    gone = np.empty(_CAVITY, np.int32)
    beyond = np.empty(_CAVITY, np.int32)
    owner = np.empty(_CAVITY, np.int32)  # 4 t + i of each face of the shell, seen from inside
    made = np.empty(_CAVITY, np.int32)
    base = np.empty((_CAVITY, 3), np.int32)
    side_of = np.empty((128, 128), np.int32)
    capacity = tets.shape[0]
    for v in range(start, stop):
        if tally[0] + 2048 > capacity:
            return v
        came[v - start] = 0
        t = hint[v - start]
        if tets[t, 0] < 0:
            t = tally[3]
            if tets[t, 0] < 0:
                continue
        first = walk_within(p, tets, nbr, lock, face, t, v)
        if first < 0:
            continue
        x = p[v, 0]
        y = p[v, 1]
        z = p[v, 2]
        least = near[v - start] ** 2
        # most points that come too near do so to a node of the tetrahedron that holds them
        refused = False
        for i in range(4):
            u = tets[first, i]
            d = (p[u, 0] - x) ** 2 + (p[u, 1] - y) ** 2 + (p[u, 2] - z) ** 2
            if d == 0.0:
                came[v - start] = 2
                refused = True
            elif d < least:
                refused = True
        if refused:
            continue
        tally[2] += 1
        banned = tally[2]
        n_gone = 0
        n_shell = 0
        star_shaped = False
        for _ in range(24):
            tally[2] += 2
            inside = tally[2]
            outside = inside - 1
            gone[0] = first
            seen[first] = inside
            n_gone = 1
            n_shell = 0
            k = 0
            while k < n_gone:
                t = gone[k]
                k += 1
                for i in range(4):
                    code = nbr[t, i]
                    t2 = code >> 2
                    locked = (lock[t] >> i) & 1
                    if not locked:
                        mark = seen[t2]
                        if mark == inside:
                            continue
                        if mark != outside and mark != banned:
                            a = tets[t2, 0]
                            b = tets[t2, 1]
                            c = tets[t2, 2]
                            d = tets[t2, 3]
                            side = -1
                            if (a | b | c | d) >= 0:
                                side = sphere_filter(
                                    p[a, 0] - x, p[a, 1] - y, p[a, 2] - z,
                                    p[b, 0] - x, p[b, 1] - y, p[b, 2] - z,
                                    p[c, 0] - x, p[c, 1] - y, p[c, 2] - z,
                                    p[d, 0] - x, p[d, 1] - y, p[d, 2] - z,
                                )  # fmt: skip
                                if side == 0:
                                    side = insphere(p, a, b, c, d, v)
                            if side > 0:
                                seen[t2] = inside
                                gone[n_gone] = t2
                                n_gone += 1
                                continue
                            seen[t2] = outside
                    owner[n_shell] = 4 * t + i
                    beyond[n_shell] = code
                    base[n_shell, 0] = tets[t, face[i, 0]]
                    base[n_shell, 1] = tets[t, face[i, 1]]
                    base[n_shell, 2] = tets[t, face[i, 2]]
                    n_shell += 1
                if n_gone >= _CAVITY - 8 or n_shell >= _CAVITY - 8:
                    break
            if n_gone >= _CAVITY - 8 or n_shell >= _CAVITY - 8:
                break
            star_shaped = True
            for k in range(n_shell):
                a = base[k, 0]
                b = base[k, 1]
                c = base[k, 2]
                side = orient_filter(
                    p[a, 0] - x, p[a, 1] - y, p[a, 2] - z,
                    p[b, 0] - x, p[b, 1] - y, p[b, 2] - z,
                    p[c, 0] - x, p[c, 1] - y, p[c, 2] - z,
                )  # fmt: skip
                if side == 0:
                    side = orient3d(p, a, b, c, v)
                if side <= 0:
                    star_shaped = False
                    t = owner[k] >> 2
                    if t == first:
                        refused = True
                        break
                    seen[t] = banned
            if star_shaped or refused:
                break
        if not star_shaped or refused or tally[0] + n_shell > capacity:
            continue
        # every node of the cavity must stay on its shell; none may be too near
        for k in range(n_gone):
            for i in range(4):
                local[tets[gone[k], i]] = -2
        nodes = 0
        for k in range(n_shell):
            for j in range(3):
                u = base[k, j]
                if local[u] < 0:
                    local[u] = nodes
                    nodes += 1
        # Euler's count for a sphere: a closed, simple shell
        if 2 * nodes != n_shell + 4:
            continue
        for k in range(n_gone):
            for i in range(4):
                u = tets[gone[k], i]
                d = (p[u, 0] - x) ** 2 + (p[u, 1] - y) ** 2 + (p[u, 2] - z) ** 2
                if d == 0.0:
                    came[v - start] = 2
                if d < least or d == 0.0 or local[u] == -2:
                    refused = True
        if refused:
            continue
        if nodes > side_of.shape[0]:
            side_of = np.empty((2 * nodes, 2 * nodes), np.int32)
        own_zone = zone[first]
        for k in range(n_shell):
            owner[k] = (lock[owner[k] >> 2] >> (owner[k] & 3)) & 1
        for k in range(n_shell):
            if k < n_gone:
                new = gone[k]
            elif tally[1] > 0:
                tally[1] -= 1
                new = free[tally[1]]
            else:
                new = np.int32(tally[0])
                tally[0] += 1
            made[k] = new
            seen[new] = 0
            zone[new] = own_zone
            lock[new] = owner[k] << 3
            code = beyond[k]
            nbr[new, 3] = code
            nbr[code >> 2, code & 3] = 4 * new + 3
            for j in range(3):
                u = base[k, j]
                tets[new, j] = u
                at[u] = new
                base[k, j] = local[u]
            tets[new, 3] = v
            side_of[base[k, 1], base[k, 2]] = 4 * new
            side_of[base[k, 2], base[k, 0]] = 4 * new + 1
            side_of[base[k, 0], base[k, 1]] = 4 * new + 2
        for k in range(n_shell, n_gone):
            tets[gone[k], 0] = -2
            free[tally[1]] = gone[k]
            tally[1] += 1
        for k in range(n_shell):
            new = made[k]
            nbr[new, 0] = side_of[base[k, 2], base[k, 1]]
            nbr[new, 1] = side_of[base[k, 0], base[k, 2]]
            nbr[new, 2] = side_of[base[k, 1], base[k, 0]]
        at[v] = made[0]
        tally[3] = made[0]
        came[v - start] = 1
    return stop


@njit(cache=True)
def insert_node(cx, v, t, spacing):
    """Insert one node v from tetrahedron t on; REFUSED, INSERTED or DUPLICATE."""
    came = np.zeros(1, np.int8)
    hint = np.empty(1, np.int32)
    hint[0] = t
    near = np.empty(1)
    near[0] = spacing
    insert_range(
        cx.points, cx.tets, cx.nbr, cx.lock, cx.zone, cx.seen, cx.free, cx.at, cx.local, cx.tally,
        FACE, v, v + 1, hint, near, came,
    )  # fmt: skip
    return came[0]
