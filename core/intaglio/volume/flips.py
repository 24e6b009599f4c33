"""Local changes of a complex: face swap (2 to 3), edge removal (n to 2n - 4), insertion.

Edge removal finds the best triangulation of the ring around the edge by dynamic programming:
G. T. Klincsek, "Minimal triangulations of polygonal domains" (1980); its use for tetrahedra:
J. R. Shewchuk, "Two discrete optimization algorithms for the topological improvement of
tetrahedral meshes" (2002).
"""

import numpy as np
from numba import njit

from intaglio.numeric.predicates import insphere, orient3d
from intaglio.volume.complex import FACE, glue, place, release, take
from intaglio.volume.delaunay import DUPLICATE, INSERTED, REFUSED, fill_cavity
from intaglio.volume.shapes import volume_length

MAX_SIDES = 9


@njit(cache=True)
def flip23(cx, t, i, floor):
    """Swap face i of t for the edge between the opposite nodes if every new shape exceeds floor."""
    if (cx.lock[t] >> i) & 1:
        return False
    code = cx.nbr[t, i]
    u = code >> 2
    j = code & 3
    a = cx.tets[t, i]
    d = cx.tets[u, j]
    x = cx.tets[t, FACE[i, 0]]
    y = cx.tets[t, FACE[i, 1]]
    z = cx.tets[t, FACE[i, 2]]
    if a < 0 or d < 0 or x < 0 or y < 0 or z < 0:
        return False
    p = cx.points
    if (
        volume_length(p, x, y, d, a) <= floor
        or volume_length(p, y, z, d, a) <= floor
        or volume_length(p, z, x, d, a) <= floor
    ):
        return False
    if orient3d(p, x, y, d, a) <= 0 or orient3d(p, y, z, d, a) <= 0 or orient3d(p, z, x, d, a) <= 0:
        return False
    if cx.tally[1] < 1 and cx.tally[0] + 1 > cx.tets.shape[0]:
        return False
    zone = cx.zone[t]
    outer = np.empty(6, np.int32)
    bits = np.empty(6, np.uint8)
    nodes = (x, y, z)
    for k in range(3):
        # beyond the side that misses nodes[k]
        f = place(cx.tets, t, nodes[k])
        g = place(cx.tets, u, nodes[k])
        outer[k] = cx.nbr[t, f]
        bits[k] = (cx.lock[t] >> f) & 1
        outer[3 + k] = cx.nbr[u, g]
        bits[3 + k] = (cx.lock[u] >> g) & 1
    w = take(cx)
    rows = (np.int32(t), np.int32(u), np.int32(w))
    for k in range(3):
        r = rows[k]
        e = nodes[k]
        f = nodes[(k + 1) % 3]
        cx.tets[r, 0] = e
        cx.tets[r, 1] = f
        cx.tets[r, 2] = d
        cx.tets[r, 3] = a
        cx.zone[r] = zone
        missing = (k + 2) % 3
        cx.lock[r] = (bits[missing] << 2) | (bits[3 + missing] << 3)
        glue(cx, r, 2, outer[missing])
        glue(cx, r, 3, outer[3 + missing])
        cx.at[e] = r
    for k in range(3):
        # opposite the first node: the side with the second, shared with the next row
        glue(cx, rows[k], 0, 4 * rows[(k + 1) % 3] + 1)
    cx.at[a] = t
    cx.at[d] = t
    cx.tally[3] = t
    return True


@njit(cache=True)
def edge_ring(cx, t, i, j, nodes, rows):
    """Ring around the edge of nodes i, j of t: nodes (n,) and tetrahedra (n,); n, or -1.

    -1 if the edge lies on a locked face or on the hull, or if the ring has too many sides.
    With a, b the edge's nodes, (a, b, nodes[k], nodes[k + 1]) is positive.
    """
    a = cx.tets[t, i]
    b = cx.tets[t, j]
    k = 0
    while k == i or k == j:
        k += 1
    m = 6 - i - j - k
    # parity of the permutation (i, j, k, m)
    inversions = 0
    if i > j:
        inversions += 1
    if i > k:
        inversions += 1
    if i > m:
        inversions += 1
    if j > k:
        inversions += 1
    if j > m:
        inversions += 1
    if inversions & 1:
        k, m = m, k
    c = cx.tets[t, k]
    d = cx.tets[t, m]
    n = 0
    first = t
    while True:
        if n >= MAX_SIDES or c < 0 or d < 0:
            return -1
        nodes[n] = c
        rows[n] = t
        n += 1
        f = place(cx.tets, t, c)
        if (cx.lock[t] >> f) & 1:
            return -1
        code = cx.nbr[t, f]
        t = code >> 2
        c = d
        d = cx.tets[t, code & 3]
        if t == first:
            break
    if a < 0 or b < 0:
        return -1
    return n


@njit(cache=True)
def best_triangulation(p, a, b, nodes, n, floor, best, split):
    """Worst shape of the best triangulation of the ring, or something <= floor."""
    for i in range(n - 1):
        best[i, i + 1] = 2.0
    for width in range(2, n):
        for i in range(n - width):
            j = i + width
            top = -2.0
            at = -1
            for k in range(i + 1, j):
                value = min(best[i, k], best[k, j])
                if value <= top or value <= floor:
                    continue
                value = min(value, volume_length(p, nodes[i], nodes[k], nodes[j], b))
                if value <= top or value <= floor:
                    continue
                value = min(value, volume_length(p, nodes[j], nodes[k], nodes[i], a))
                if value > top:
                    top = value
                    at = k
            best[i, j] = top
            split[i, j] = at
    return best[0, n - 1]


@njit(cache=True)
def _attach(cx, slot, i, j, code):
    if i > j:
        i, j = j, i
    if slot[i, j] < 0:
        slot[i, j] = code
    else:
        glue(cx, code >> 2, code & 3, slot[i, j])


@njit(cache=True)
def remove_edge(cx, t, i, j, floor):
    """Remove the edge of nodes i, j of t if every new shape exceeds floor. True if done."""
    nodes = np.empty(MAX_SIDES + 1, np.int32)
    rows = np.empty(MAX_SIDES + 1, np.int32)
    n = edge_ring(cx, t, i, j, nodes, rows)
    if n < 3:
        return False
    a = cx.tets[t, i]
    b = cx.tets[t, j]
    best = np.empty((MAX_SIDES, MAX_SIDES))
    split = np.empty((MAX_SIDES, MAX_SIDES), np.int32)
    if best_triangulation(cx.points, a, b, nodes, n, floor, best, split) <= floor:
        return False
    # the triangles, from the splits
    chosen = np.empty((MAX_SIDES, 3), np.int32)
    stack = np.empty((2 * MAX_SIDES, 2), np.int32)
    stack[0, 0] = 0
    stack[0, 1] = n - 1
    top = 1
    m = 0
    while top > 0:
        top -= 1
        lo = stack[top, 0]
        hi = stack[top, 1]
        if hi - lo < 2:
            continue
        k = split[lo, hi]
        if k < 0:
            return False
        chosen[m, 0] = lo
        chosen[m, 1] = k
        chosen[m, 2] = hi
        m += 1
        stack[top, 0] = lo
        stack[top, 1] = k
        stack[top + 1, 0] = k
        stack[top + 1, 1] = hi
        top += 2
    p = cx.points
    for q in range(m):
        x = nodes[chosen[q, 0]]
        y = nodes[chosen[q, 1]]
        z = nodes[chosen[q, 2]]
        if orient3d(p, x, y, z, b) <= 0 or orient3d(p, z, y, x, a) <= 0:
            return False
    # a new edge inside the ring must not exist already (possible next to a boundary)
    if cx.tally[0] + 2 * m > cx.tets.shape[0]:
        return False
    zone = cx.zone[t]
    above = np.full((MAX_SIDES, MAX_SIDES), -1, np.int32)
    below = np.full((MAX_SIDES, MAX_SIDES), -1, np.int32)
    lock_above = np.zeros(MAX_SIDES, np.uint8)
    lock_below = np.zeros(MAX_SIDES, np.uint8)
    for k in range(n):
        r = rows[k]
        lo = k
        hi = (k + 1) % n
        fa = place(cx.tets, r, a)
        fb = place(cx.tets, r, b)
        if lo > hi:
            lo, hi = hi, lo
        above[lo, hi] = cx.nbr[r, fa]
        lock_above[k] = (cx.lock[r] >> fa) & 1
        below[lo, hi] = cx.nbr[r, fb]
        lock_below[k] = (cx.lock[r] >> fb) & 1
    for k in range(n):
        release(cx, rows[k])
    for q in range(m):
        i0 = chosen[q, 0]
        i1 = chosen[q, 1]
        i2 = chosen[q, 2]
        up = take(cx)
        down = take(cx)
        cx.tets[up, 0] = nodes[i0]
        cx.tets[up, 1] = nodes[i1]
        cx.tets[up, 2] = nodes[i2]
        cx.tets[up, 3] = b
        cx.tets[down, 0] = nodes[i2]
        cx.tets[down, 1] = nodes[i1]
        cx.tets[down, 2] = nodes[i0]
        cx.tets[down, 3] = a
        cx.zone[up] = zone
        cx.zone[down] = zone
        glue(cx, up, 3, 4 * down + 3)
        for side in range(3):
            # of `up` face `side` misses that node; of `down` face 2 - side does
            e0 = chosen[q, (side + 1) % 3]
            e1 = chosen[q, (side + 2) % 3]
            _attach(cx, above, e0, e1, 4 * up + side)
            _attach(cx, below, e0, e1, 4 * down + 2 - side)
            step = e1 - e0 if e1 > e0 else e0 - e1
            low = min(e0, e1)
            if step == 1:
                cx.lock[up] |= lock_above[low] << side
                cx.lock[down] |= lock_below[low] << (2 - side)
            elif step == n - 1:
                cx.lock[up] |= lock_above[n - 1] << side
                cx.lock[down] |= lock_below[n - 1] << (2 - side)
        for k in range(3):
            cx.at[nodes[chosen[q, k]]] = up
        cx.at[b] = up
        cx.at[a] = down
        cx.tally[3] = up
    return True


@njit(cache=True)
def walk(cx, v, t):
    """The tetrahedron that holds node v, from t on, not through locked faces; -1 if blocked."""
    p = cx.points
    turn = 0
    for _ in range(10000):
        moved = False
        blocked = False
        for k in range(4):
            i = (k + turn) & 3
            if (
                orient3d(
                    p, cx.tets[t, FACE[i, 0]], cx.tets[t, FACE[i, 1]], cx.tets[t, FACE[i, 2]], v
                )
                < 0
            ):
                if (cx.lock[t] >> i) & 1:
                    blocked = True
                    continue
                t = cx.nbr[t, i] >> 2
                if cx.tets[t, 0] < 0 or cx.tets[t, 1] < 0 or cx.tets[t, 2] < 0 or cx.tets[t, 3] < 0:
                    return -1
                moved = True
                break
        turn += 1
        if not moved:
            return -1 if blocked else t
    return -1


@njit(cache=True)
def insert_constrained(cx, v, t, spacing, matrix):
    """Insert node v, which t holds, without crossing locked faces.

    REFUSED if v would come nearer than `spacing` to a node of its cavity, or would bury one.
    """
    w = cx.work.size // 6
    gone = cx.work[:w]
    shell = cx.work[w : 2 * w]
    p = cx.points
    base = t
    near = spacing * spacing
    # most points that come too near do so to a node of the tetrahedron that holds them
    for i in range(4):
        u = cx.tets[base, i]
        d = (p[u, 0] - p[v, 0]) ** 2 + (p[u, 1] - p[v, 1]) ** 2 + (p[u, 2] - p[v, 2]) ** 2
        if d == 0.0:
            return DUPLICATE
        if d < near:
            return REFUSED
    cx.tally[2] += 1
    banned = cx.tally[2]
    for _ in range(24):
        cx.tally[2] += 2
        inside = cx.tally[2]
        outside = inside - 1
        gone[0] = base
        cx.seen[base] = inside
        n_gone = 1
        n_shell = 0
        k = 0
        bad = -1
        while k < n_gone:
            t = gone[k]
            k += 1
            for i in range(4):
                code = cx.nbr[t, i]
                t2 = code >> 2
                if not ((cx.lock[t] >> i) & 1):
                    if cx.seen[t2] == inside:
                        continue
                    if cx.seen[t2] != outside and cx.seen[t2] != banned:
                        a = cx.tets[t2, 0]
                        b = cx.tets[t2, 1]
                        c = cx.tets[t2, 2]
                        d = cx.tets[t2, 3]
                        if (
                            a >= 0
                            and b >= 0
                            and c >= 0
                            and d >= 0
                            and insphere(p, a, b, c, d, v) > 0
                        ):
                            cx.seen[t2] = inside
                            gone[n_gone] = t2
                            n_gone += 1
                            if n_gone >= w - 4:
                                return REFUSED
                            continue
                        cx.seen[t2] = outside
                shell[n_shell] = code_of(t, i)
                n_shell += 1
                if n_shell >= w - 4:
                    return REFUSED
        # a face entered the shell before the tetrahedron beyond it joined the cavity
        kept = 0
        for k in range(n_shell):
            t = shell[k] >> 2
            i = shell[k] & 3
            if not ((cx.lock[t] >> i) & 1) and cx.seen[cx.nbr[t, i] >> 2] == inside:
                continue
            shell[kept] = shell[k]
            kept += 1
        n_shell = kept
        for k in range(n_shell):
            t = shell[k] >> 2
            i = shell[k] & 3
            if (
                orient3d(
                    p, cx.tets[t, FACE[i, 0]], cx.tets[t, FACE[i, 1]], cx.tets[t, FACE[i, 2]], v
                )
                <= 0
            ):
                if t == base:
                    return REFUSED
                bad = t
                cx.seen[t] = banned
        if bad < 0:
            break
        if bad >= 0:
            continue
    if bad >= 0:
        return REFUSED
    # every node of the cavity must stay on its shell; none may be too near
    for k in range(n_gone):
        for i in range(4):
            cx.local[cx.tets[gone[k], i]] = -2
    for k in range(n_shell):
        t = shell[k] >> 2
        i = shell[k] & 3
        for j in range(3):
            cx.local[cx.tets[t, FACE[i, j]]] = -1
    for k in range(n_gone):
        for i in range(4):
            u = cx.tets[gone[k], i]
            if cx.local[u] == -2:
                return REFUSED
            d = (p[u, 0] - p[v, 0]) ** 2 + (p[u, 1] - p[v, 1]) ** 2 + (p[u, 2] - p[v, 2]) ** 2
            if d == 0.0:
                return DUPLICATE
            if d < near:
                return REFUSED
    if cx.tally[0] + n_shell > cx.tets.shape[0]:
        return REFUSED
    # each edge of the shell must have exactly two of its triangles: a closed, simple surface
    if not _simple_shell(cx, shell, n_shell):
        return REFUSED
    fill_cavity(cx, v, n_shell, n_gone, matrix)
    return INSERTED


@njit(cache=True, inline="always")
def code_of(t, i):
    return 4 * t + i


@njit(cache=True)
def _simple_shell(cx, shell, n):
    """Euler's count for a sphere: nodes = faces / 2 + 2."""
    for k in range(n):
        t = shell[k] >> 2
        i = shell[k] & 3
        for j in range(3):
            cx.local[cx.tets[t, FACE[i, j]]] = -1
    nodes = 0
    for k in range(n):
        t = shell[k] >> 2
        i = shell[k] & 3
        for j in range(3):
            u = cx.tets[t, FACE[i, j]]
            if cx.local[u] == -1:
                cx.local[u] = 0
                nodes += 1
    return 2 * nodes == n + 4
