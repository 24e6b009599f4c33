"""Raising the worst tetrahedra: smoothing of free nodes, edge removal and face swaps.

Source: B. M. Klingner, J. R. Shewchuk, "Aggressive tetrahedral mesh improvement" (IMR 2007);
L. A. Freitag, C. Ollivier-Gooch, "Tetrahedral mesh improvement using swapping and smoothing"
(1997). The boundary never moves: faces on it are locked, and so are its nodes.
"""

import numpy as np
from numba import njit

from intaglio.volume.complex import place, star
from intaglio.volume.flips import MAX_SIDES, best_triangulation, edge_ring, flip23, remove_edge
from intaglio.volume.shapes import volume_length

_STAR = 2048


@njit(cache=True)
def quality(cx, t):
    return volume_length(cx.points, cx.tets[t, 0], cx.tets[t, 1], cx.tets[t, 2], cx.tets[t, 3])


@njit(cache=True)
def swap_pass(cx, below):
    """Remove an edge or swap a face of each tetrahedron worse than `below` where that helps."""
    nodes = np.empty(MAX_SIDES + 1, np.int32)
    rows = np.empty(MAX_SIDES + 1, np.int32)
    best = np.empty((MAX_SIDES, MAX_SIDES))
    split = np.empty((MAX_SIDES, MAX_SIDES), np.int32)
    made = 0
    for t in range(cx.tally[0]):
        if cx.tets[t, 0] < 0 or cx.zone[t] < 0:
            continue
        q = quality(cx, t)
        if q >= below:
            continue
        gain = 0.0
        pick_i = -1
        pick_j = -1
        for i in range(4):
            for j in range(i):
                n = edge_ring(cx, t, i, j, nodes, rows)
                if n < 3:
                    continue
                worst = 2.0
                for k in range(n):
                    worst = min(worst, quality(cx, rows[k]))
                floor = worst + 1e-4
                value = best_triangulation(
                    cx.points, cx.tets[t, i], cx.tets[t, j], nodes, n, floor, best, split
                )
                if value > floor and value - worst > gain:
                    gain = value - worst
                    pick_i = i
                    pick_j = j
        if pick_i >= 0 and remove_edge(cx, t, pick_i, pick_j, q + 1e-5):
            made += 1
            continue
        for i in range(4):
            if (cx.lock[t] >> i) & 1:
                continue
            u = cx.nbr[t, i] >> 2
            if cx.zone[u] != cx.zone[t]:
                continue
            if flip23(cx, t, i, min(q, quality(cx, u)) + 1e-4):
                made += 1
                break
    return made


@njit(cache=True)
def _star_quality(cx, rows, n):
    worst = 2.0
    for k in range(n):
        worst = min(worst, quality(cx, rows[k]))
    return worst


@njit(cache=True)
def smooth_pass(cx, free, below, size):
    """Move free nodes whose worst tetrahedron is worse than `below`, each only to its gain.

    free (n,) marks nodes that may move; size (n,) the wanted edge length at each.
    """
    rows = np.empty(_STAR, np.int32)
    p = cx.points
    moved = 0
    for v in range(cx.tally[4]):
        if not free[v] or cx.at[v] < 0:
            continue
        n = star(cx, v, rows)
        if n < 4:
            continue
        worst = _star_quality(cx, rows, n)
        if worst >= below:
            continue
        ox = p[v, 0]
        oy = p[v, 1]
        oz = p[v, 2]
        # centroid of the star, tetrahedra weighted by volume in the size field
        total = 0.0
        x = 0.0
        y = 0.0
        z = 0.0
        least = 2.0
        pull = -1
        for k in range(n):
            t = rows[k]
            a = cx.tets[t, 0]
            b = cx.tets[t, 1]
            c = cx.tets[t, 2]
            d = cx.tets[t, 3]
            h = 0.25 * (size[a] + size[b] + size[c] + size[d])
            w = _volume(p, a, b, c, d) / (h * h * h)
            total += w
            x += w * 0.25 * (p[a, 0] + p[b, 0] + p[c, 0] + p[d, 0])
            y += w * 0.25 * (p[a, 1] + p[b, 1] + p[c, 1] + p[d, 1])
            z += w * 0.25 * (p[a, 2] + p[b, 2] + p[c, 2] + p[d, 2])
            q = quality(cx, t)
            if q < least:
                least = q
                pull = t
        done = False
        if total > 0.0:
            x /= total
            y /= total
            z /= total
            for step in (1.0, 0.5):
                p[v, 0] = ox + step * (x - ox)
                p[v, 1] = oy + step * (y - oy)
                p[v, 2] = oz + step * (z - oz)
                if _star_quality(cx, rows, n) > worst + 1e-6:
                    done = True
                    break
        if not done:
            # off the face opposite v in the worst tetrahedron, or along it
            done = _climb(cx, v, pull, rows, n, worst, ox, oy, oz)
        if done:
            moved += 1
        else:
            p[v, 0] = ox
            p[v, 1] = oy
            p[v, 2] = oz
    return moved


@njit(cache=True)
def _volume(p, a, b, c, d):
    ux = p[b, 0] - p[a, 0]
    uy = p[b, 1] - p[a, 1]
    uz = p[b, 2] - p[a, 2]
    vx = p[c, 0] - p[a, 0]
    vy = p[c, 1] - p[a, 1]
    vz = p[c, 2] - p[a, 2]
    return (
        (uy * vz - uz * vy) * (p[d, 0] - p[a, 0])
        + (uz * vx - ux * vz) * (p[d, 1] - p[a, 1])
        + (ux * vy - uy * vx) * (p[d, 2] - p[a, 2])
    ) / 6.0


@njit(cache=True)
def _climb(cx, v, t, rows, n, worst, ox, oy, oz):
    """Uphill steps of the worst tetrahedron's quality by its numerical gradient."""
    p = cx.points
    i = place(cx.tets, t, v)
    reach = 0.0
    for j in range(4):
        if j != i:
            u = cx.tets[t, j]
            reach = max(reach, (p[u, 0] - ox) ** 2 + (p[u, 1] - oy) ** 2 + (p[u, 2] - oz) ** 2)
    reach = np.sqrt(reach)
    e = 1e-5 * reach
    g = np.empty(3)
    p[v, 0] = ox
    p[v, 1] = oy
    p[v, 2] = oz
    for k in range(3):
        old = p[v, k]
        p[v, k] = old + e
        up = quality(cx, t)
        p[v, k] = old - e
        g[k] = up - quality(cx, t)
        p[v, k] = old
    norm = np.sqrt(g[0] ** 2 + g[1] ** 2 + g[2] ** 2)
    if norm == 0.0:
        return False
    step = 0.3 * reach
    for _ in range(7):
        p[v, 0] = ox + step * g[0] / norm
        p[v, 1] = oy + step * g[1] / norm
        p[v, 2] = oz + step * g[2] / norm
        if _star_quality(cx, rows, n) > worst + 1e-6:
            return True
        step *= 0.45
    return False


@njit(cache=True)
def collapse_pass(cx, free, below):
    """Pull a free node of each tetrahedron worse than `below` into a neighbour where that helps."""
    rows = np.empty(_STAR, np.int32)
    made = 0
    for t in range(cx.tally[0]):
        if cx.tets[t, 0] < 0 or cx.zone[t] < 0 or quality(cx, t) >= below:
            continue
        for i in range(4):
            v = cx.tets[t, i]
            if not free[v]:
                continue
            n = star(cx, v, rows)
            if n < 4:
                continue
            worst = _star_quality(cx, rows, n)
            done = False
            for j in range(4):
                if j != i and _pull_in(cx, v, cx.tets[t, j], rows, n, worst):
                    done = True
                    break
            if done:
                made += 1
                break
    return made


@njit(cache=True)
def _pull_in(cx, v, u, rows, n, worst):
    """Collapse the edge v-u onto u if the star of v without it stays better than worst."""
    p = cx.points
    for k in range(n):
        t = rows[k]
        if place(cx.tets, t, u) >= 0:
            continue
        i = place(cx.tets, t, v)
        a = u if i == 0 else cx.tets[t, 0]
        b = u if i == 1 else cx.tets[t, 1]
        c = u if i == 2 else cx.tets[t, 2]
        d = u if i == 3 else cx.tets[t, 3]
        if volume_length(p, a, b, c, d) <= worst + 1e-3:
            return False
    # v is inside the domain and its star a ball: moving v to u keeps the star's shell, so the
    # tetrahedra that do not hold u fill exactly the same ball when all stay positive
    for k in range(n):
        t = rows[k]
        iu = place(cx.tets, t, u)
        if iu < 0:
            cx.tets[t, place(cx.tets, t, v)] = u
    for k in range(n):
        t = rows[k]
        iu = place(cx.tets, t, u)
        iv = place(cx.tets, t, v)
        if iv < 0:
            continue
        # t vanishes; its faces opposite u and v become one
        one = cx.nbr[t, iu]
        two = cx.nbr[t, iv]
        lock = (cx.lock[t] >> iv) & 1
        cx.nbr[one >> 2, one & 3] = two
        cx.nbr[two >> 2, two & 3] = one
        if lock:
            cx.lock[one >> 2] |= 1 << (one & 3)
    for k in range(n):
        t = rows[k]
        if place(cx.tets, t, v) >= 0:
            cx.tets[t, 0] = -2
            cx.free[cx.tally[1]] = t
            cx.tally[1] += 1
        else:
            for i in range(4):
                cx.at[cx.tets[t, i]] = t
            cx.tally[3] = t
    cx.at[v] = -1
    return True
