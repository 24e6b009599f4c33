"""Raising the quality of tetrahedra: smoothing of free nodes, edge removal, face swaps, collapses.

Sources: B. M. Klingner, J. R. Shewchuk, "Aggressive tetrahedral mesh improvement" (IMR 2007);
L. A. Freitag, C. Ollivier-Gooch, "Tetrahedral mesh improvement using swapping and smoothing"
(1997). The boundary never moves: faces on it are locked, and so are its nodes.

A node is `active` when something at it has changed since it was last looked at; passes visit
active nodes only, so that the later ones cost little.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.volume.complex import N_TETS, Complex, gather_star, place
from intaglio.volume.flips import MAX_SIDES, best_triangulation, edge_ring, flip23, remove_edge
from intaglio.volume.shapes import least_sine, volume_length

_STAR = 1024


@njit(cache=True)
def _row_quality(p, tets, t):
    return volume_length(p, tets[t, 0], tets[t, 1], tets[t, 2], tets[t, 3])


@njit(cache=True)
def _marked(p, tets, zone, n, sine, out):
    for t in range(n):
        if tets[t, 0] < 0 or zone[t] < 0:
            continue
        a = tets[t, 0]
        b = tets[t, 1]
        c = tets[t, 2]
        d = tets[t, 3]
        # a shape this good has no dihedral angle near the limit
        if volume_length(p, a, b, c, d) < 0.75 and least_sine(p, a, b, c, d) < sine:
            out[t] = True


def worst_tets(cx: Complex, degrees: float) -> NDArray[np.int64]:
    """Rows of the tetrahedra with a dihedral angle under `degrees`, or over 180 less that."""
    n = int(cx.tally[N_TETS])
    out = np.zeros(n, np.bool_)
    _marked(cx.points, cx.tets, cx.zone, n, float(np.sin(np.radians(degrees))), out)
    return np.flatnonzero(out)


@njit(cache=True)
def swap_pass(cx, below, active, changed):
    """Remove an edge or swap a face of each active tetrahedron worse than `below` if it helps.

    changed gets the nodes of what was swapped. Number of swaps.
    """
    p = cx.points
    tets = cx.tets
    nbr = cx.nbr
    lock = cx.lock
    zone = cx.zone
    nodes = np.empty(MAX_SIDES + 1, np.int32)
    rows = np.empty(MAX_SIDES + 1, np.int32)
    best = np.empty((MAX_SIDES, MAX_SIDES))
    split = np.empty((MAX_SIDES, MAX_SIDES), np.int32)
    made = 0
    for t in range(cx.tally[0]):
        a = tets[t, 0]
        if a < 0 or zone[t] < 0:
            continue
        b = tets[t, 1]
        c = tets[t, 2]
        d = tets[t, 3]
        if not (active[a] or active[b] or active[c] or active[d]):
            continue
        q = volume_length(p, a, b, c, d)
        if q >= below:
            continue
        gain = 0.0
        pick_i = -1
        pick_j = -1
        for i in range(4):
            for j in range(i):
                n = edge_ring(tets, nbr, lock, t, i, j, nodes, rows)
                if n < 3:
                    continue
                # only around an edge whose worst tetrahedron is this one
                worst = True
                for k in range(1, n):
                    if _row_quality(p, tets, rows[k]) < q:
                        worst = False
                        break
                if not worst:
                    continue
                floor = q + max(gain, 1e-4)
                value = best_triangulation(p, tets[t, i], tets[t, j], nodes, n, floor, best, split)
                if value > floor:
                    gain = value - q
                    pick_i = i
                    pick_j = j
        done = pick_i >= 0 and remove_edge(cx, t, pick_i, pick_j, q + 1e-5)
        if not done:
            for i in range(4):
                if (lock[t] >> i) & 1:
                    continue
                u = nbr[t, i] >> 2
                if zone[u] == zone[t] and flip23(cx, t, i, min(q, _row_quality(p, tets, u)) + 1e-4):
                    done = True
                    break
        if done:
            made += 1
            changed[a] = True
            changed[b] = True
            changed[c] = True
            changed[d] = True
    return made


@njit(cache=True)
def _at(link, n, x, y, z, power):
    """Sum of quality^-power and least quality of a star whose centre is at x, y, z.

    link (n, 8): of each face seen from the centre its normal (3) and offset, the sum of its nodes
    (3) and the part of the squared edge lengths that does not depend on the centre.
    """
    total = 0.0
    worst = 2.0
    square = 3.0 * (x * x + y * y + z * z)
    for k in range(n):
        six = link[k, 0] * x + link[k, 1] * y + link[k, 2] * z - link[k, 3]
        edges = square + link[k, 7] - 2.0 * (link[k, 4] * x + link[k, 5] * y + link[k, 6] * z)
        rms = edges / 6.0
        q = 1.4142135623730951 * six / (rms * np.sqrt(rms))
        worst = min(worst, q)
        if q <= 1e-9:
            return 1e300, worst
        total += 1.0 / q if power == 1 else 1.0 / (q * q) if power == 2 else 1.0 / (q**power)
    return total, worst


@njit(cache=True)
def smooth_pass(cx, free, active, touched, power, below):
    """Move active free nodes to lower the sum of quality^-power over their tetrahedra.

    Only nodes whose worst tetrahedron is below `below`. Each step is the minimum of the sum with
    the weights frozen: a fixed point of its gradient's zero. touched gets the nodes of stars that
    changed by a tenth of their size, which swaps should look at. Number moved.
    """
    p = cx.points
    tets = cx.tets
    nbr = cx.nbr
    seen = cx.seen
    at = cx.at
    tally = cx.tally
    rows = np.empty(_STAR, np.int32)
    link = np.empty((_STAR, 8))
    moved = 0
    for v in range(tally[4]):
        if not free[v] or not active[v] or at[v] < 0:
            continue
        active[v] = False
        n = gather_star(tets, nbr, seen, at, tally, v, rows)
        if n < 4:
            continue
        ox = p[v, 0]
        oy = p[v, 1]
        oz = p[v, 2]
        reach = 0.0
        for k in range(n):
            t = rows[k]
            # the other three nodes, so turned that v lies on their positive side
            if tets[t, 0] == v:
                a, b, c = tets[t, 1], tets[t, 3], tets[t, 2]
            elif tets[t, 1] == v:
                a, b, c = tets[t, 0], tets[t, 2], tets[t, 3]
            elif tets[t, 2] == v:
                a, b, c = tets[t, 0], tets[t, 3], tets[t, 1]
            else:
                a, b, c = tets[t, 0], tets[t, 1], tets[t, 2]
            ax = p[a, 0] - ox
            ay = p[a, 1] - oy
            az = p[a, 2] - oz
            bx = p[b, 0] - ox
            by = p[b, 1] - oy
            bz = p[b, 2] - oz
            cx_ = p[c, 0] - ox
            cy = p[c, 1] - oy
            cz = p[c, 2] - oz
            ux = bx - ax
            uy = by - ay
            uz = bz - az
            wx = cx_ - ax
            wy = cy - ay
            wz = cz - az
            nx = uy * wz - uz * wy
            ny = uz * wx - ux * wz
            nz = ux * wy - uy * wx
            link[k, 0] = nx
            link[k, 1] = ny
            link[k, 2] = nz
            link[k, 3] = nx * ax + ny * ay + nz * az
            link[k, 4] = ax + bx + cx_
            link[k, 5] = ay + by + cy
            link[k, 6] = az + bz + cz
            own = ax * ax + ay * ay + az * az + bx * bx + by * by + bz * bz
            own += cx_ * cx_ + cy * cy + cz * cz
            reach += own
            own += ux * ux + uy * uy + uz * uz + wx * wx + wy * wy + wz * wz
            own += (wx - ux) ** 2 + (wy - uy) ** 2 + (wz - uz) ** 2
            link[k, 7] = own
        reach = np.sqrt(reach / (3 * n))
        total, worst = _at(link, n, 0.0, 0.0, 0.0, power)
        if worst >= below or worst <= 1e-9:
            continue
        x = 0.0
        y = 0.0
        z = 0.0
        done = False
        for _ in range(2):
            weight = 0.0
            gx = 0.0
            gy = 0.0
            gz = 0.0
            for k in range(n):
                six = link[k, 0] * x + link[k, 1] * y + link[k, 2] * z - link[k, 3]
                edges = 3.0 * (x * x + y * y + z * z) + link[k, 7]
                edges -= 2.0 * (link[k, 4] * x + link[k, 5] * y + link[k, 6] * z)
                rms = edges / 6.0
                f = rms * np.sqrt(rms) / (1.4142135623730951 * six)
                w = f if power == 1 else f * f if power == 2 else f**power
                # of log f: 1.5 log(edges) - log(six)
                r = 3.0 * w / edges
                s = w / six
                weight += 3.0 * r
                gx += r * link[k, 4] + s * link[k, 0]
                gy += r * link[k, 5] + s * link[k, 1]
                gz += r * link[k, 6] + s * link[k, 2]
            tx = gx / weight - x
            ty = gy / weight - y
            tz = gz / weight - z
            step = 1.0
            better = False
            for _ in range(4):
                new, low = _at(link, n, x + step * tx, y + step * ty, z + step * tz, power)
                if new < total * (1.0 - 1e-5) and (low >= worst or low > 0.3):
                    better = True
                    break
                step *= 0.4
            if not better:
                break
            x += step * tx
            y += step * ty
            z += step * tz
            total = new
            worst = low
            done = True
        if done:
            p[v, 0] = ox + x
            p[v, 1] = oy + y
            p[v, 2] = oz + z
            if x * x + y * y + z * z > 4e-4 * reach * reach:
                moved += 1
                active[v] = True
                far = x * x + y * y + z * z > 1e-2 * reach * reach
                for k in range(n):
                    for i in range(4):
                        u = tets[rows[k], i]
                        active[u] = True
                        if far:
                            touched[u] = True
    return moved


@njit(cache=True)
def collapse_pass(cx, free, active, below):
    """Pull a free node of each tetrahedron worse than `below` into a neighbour where that helps."""
    p = cx.points
    tets = cx.tets
    rows = np.empty(_STAR, np.int32)
    made = 0
    for t in range(cx.tally[0]):
        if tets[t, 0] < 0 or cx.zone[t] < 0 or _row_quality(p, tets, t) >= below:
            continue
        for i in range(4):
            v = tets[t, i]
            if not free[v]:
                continue
            n = gather_star(tets, cx.nbr, cx.seen, cx.at, cx.tally, v, rows)
            if n < 4:
                continue
            worst = 2.0
            for k in range(n):
                worst = min(worst, _row_quality(p, tets, rows[k]))
            done = False
            for j in range(4):
                if j != i and _pull_in(cx, v, tets[t, j], rows, n, worst, active):
                    done = True
                    break
            if done:
                made += 1
                break
    return made


@njit(cache=True)
def _pull_in(cx, v, u, rows, n, worst, active):
    """Collapse the edge v-u onto u if the star of v without it stays better than worst."""
    p = cx.points
    tets = cx.tets
    nbr = cx.nbr
    for k in range(n):
        t = rows[k]
        if place(tets, t, u) >= 0:
            continue
        i = place(tets, t, v)
        a = u if i == 0 else tets[t, 0]
        b = u if i == 1 else tets[t, 1]
        c = u if i == 2 else tets[t, 2]
        d = u if i == 3 else tets[t, 3]
        if volume_length(p, a, b, c, d) <= worst + 1e-3:
            return False
    # v is inside the domain and its star a ball: moving v to u keeps the star's shell, so the
    # tetrahedra that do not hold u fill exactly the same ball when all stay positive
    for k in range(n):
        t = rows[k]
        if place(tets, t, u) < 0:
            tets[t, place(tets, t, v)] = u
    for k in range(n):
        t = rows[k]
        iu = place(tets, t, u)
        iv = place(tets, t, v)
        if iv < 0:
            continue
        # t vanishes; its faces opposite u and v become one
        one = nbr[t, iu]
        two = nbr[t, iv]
        locked = ((cx.lock[t] >> iv) | (cx.lock[t] >> iu)) & 1
        nbr[one >> 2, one & 3] = two
        nbr[two >> 2, two & 3] = one
        if locked:
            cx.lock[one >> 2] |= 1 << (one & 3)
            cx.lock[two >> 2] |= 1 << (two & 3)
    for k in range(n):
        t = rows[k]
        if place(tets, t, v) >= 0:
            tets[t, 0] = -2
            cx.free[cx.tally[1]] = t
            cx.tally[1] += 1
        else:
            for i in range(4):
                cx.at[tets[t, i]] = t
                active[tets[t, i]] = True
            cx.tally[3] = t
    cx.at[v] = -1
    return True
