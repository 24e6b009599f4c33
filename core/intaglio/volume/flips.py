"""Local changes of a complex: face swap (2 to 3) and edge removal (n to 2n - 4).

Edge removal finds the best triangulation of the ring around the edge by dynamic programming:
G. T. Klincsek, "Minimal triangulations of polygonal domains" (1980); its use for tetrahedra:
J. R. Shewchuk, "Two discrete optimization algorithms for the topological improvement of
tetrahedral meshes" (2002).
"""

import numpy as np
from numba import njit

from intaglio.numeric.predicates import orient3d
from intaglio.volume.complex import FACE, LAST, N_FREE, N_TETS, glue, place, release, take
from intaglio.volume.shapes import volume_length

# an edge with more tetrahedra around it is left alone: removing one hardly ever helps
MAX_SIDES = 9


@njit(cache=True)
def _sound(p, a, b, c, d, floor):
    """Whether tetrahedron abcd is better than floor, and positive beyond rounding."""
    return volume_length(p, a, b, c, d) > floor and orient3d(p, a, b, c, d) > 0


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
    if not (
        _sound(p, x, y, d, a, floor) and _sound(p, y, z, d, a, floor)
        and _sound(p, z, x, d, a, floor)
    ):  # fmt: skip
        return False
    if cx.tally[N_FREE] < 1 and cx.tally[N_TETS] + 1 > cx.tets.shape[0]:
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
    cx.tally[LAST] = t
    return True


@njit(cache=True)
def edge_ring(tets, nbr, lock, t, i, j, nodes, rows):
    """Ring around the edge of nodes i, j of t: nodes (n,) and tetrahedra (n,); n, or -1.

    -1 if the edge lies on a locked face or on the hull, or if the ring has too many sides.
    With a, b the edge's nodes, (a, b, nodes[k], nodes[k + 1]) is positive.
    """
    a = tets[t, i]
    b = tets[t, j]
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
    c = tets[t, k]
    d = tets[t, m]
    n = 0
    first = t
    while True:
        if n >= MAX_SIDES or c < 0 or d < 0:
            return -1
        nodes[n] = c
        rows[n] = t
        n += 1
        f = place(tets, t, c)
        if (lock[t] >> f) & 1:
            return -1
        code = nbr[t, f]
        t = code >> 2
        c = d
        d = tets[t, code & 3]
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
    """Join the face `code` to what waits at side (i, j), or let it wait there."""
    if i > j:
        i, j = j, i
    if slot[i, j] < 0:
        slot[i, j] = code
    else:
        glue(cx, code >> 2, code & 3, slot[i, j])


@njit(cache=True)
def _chosen_triangles(split, n, chosen):
    """Corners (m, 3), as positions on the ring, of the triangles that `split` stands for; m.

    -1 if the triangulation is incomplete.
    """
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
            return -1
        chosen[m, 0] = lo
        chosen[m, 1] = k
        chosen[m, 2] = hi
        m += 1
        stack[top, 0] = lo
        stack[top, 1] = k
        stack[top + 1, 0] = k
        stack[top + 1, 1] = hi
        top += 2
    return m


@njit(cache=True)
def _between(p, nodes, chosen, m, a, b):
    """Whether a sees every chosen triangle from below and b from above."""
    for q in range(m):
        x = nodes[chosen[q, 0]]
        y = nodes[chosen[q, 1]]
        z = nodes[chosen[q, 2]]
        if orient3d(p, x, y, z, b) <= 0 or orient3d(p, z, y, x, a) <= 0:
            return False
    return True


@njit(cache=True)
def _outside_of_ring(cx, rows, n, apex, outer, locked):
    """Of each side of the ring what lies beyond its face with `apex`'s opposite: codes and locks.

    outer (MAX_SIDES, MAX_SIDES) by the side's ends, locked (MAX_SIDES,) by its number.
    """
    for k in range(n):
        r = rows[k]
        lo = k
        hi = (k + 1) % n
        if lo > hi:
            lo, hi = hi, lo
        f = place(cx.tets, r, apex)
        outer[lo, hi] = cx.nbr[r, f]
        locked[k] = (cx.lock[r] >> f) & 1


@njit(cache=True)
def _put_triangle(cx, nodes, corners, a, b, zone):
    """The two tetrahedra on one triangle of the ring, joined by it: above (to b), below (to a)."""
    up = take(cx)
    down = take(cx)
    for j in range(3):
        cx.tets[up, j] = nodes[corners[j]]
        cx.tets[down, 2 - j] = nodes[corners[j]]
        cx.at[nodes[corners[j]]] = up
    cx.tets[up, 3] = b
    cx.tets[down, 3] = a
    cx.zone[up] = zone
    cx.zone[down] = zone
    glue(cx, up, 3, 4 * down + 3)
    return up, down


@njit(cache=True)
def remove_edge(cx, t, i, j, floor):
    """Remove the edge of nodes i, j of t if every new shape exceeds floor. True if done."""
    nodes = np.empty(MAX_SIDES + 1, np.int32)
    rows = np.empty(MAX_SIDES + 1, np.int32)
    n = edge_ring(cx.tets, cx.nbr, cx.lock, t, i, j, nodes, rows)
    if n < 3:
        return False
    a = cx.tets[t, i]
    b = cx.tets[t, j]
    best = np.empty((MAX_SIDES, MAX_SIDES))
    split = np.empty((MAX_SIDES, MAX_SIDES), np.int32)
    if best_triangulation(cx.points, a, b, nodes, n, floor, best, split) <= floor:
        return False
    chosen = np.empty((MAX_SIDES, 3), np.int32)
    m = _chosen_triangles(split, n, chosen)
    if m < 0 or not _between(cx.points, nodes, chosen, m, a, b):
        return False
    if cx.tally[N_TETS] + 2 * m > cx.tets.shape[0]:
        return False
    zone = cx.zone[t]
    above = np.full((MAX_SIDES, MAX_SIDES), -1, np.int32)
    below = np.full((MAX_SIDES, MAX_SIDES), -1, np.int32)
    lock_above = np.zeros(MAX_SIDES, np.uint8)
    lock_below = np.zeros(MAX_SIDES, np.uint8)
    _outside_of_ring(cx, rows, n, a, above, lock_above)
    _outside_of_ring(cx, rows, n, b, below, lock_below)
    for k in range(n):
        release(cx, rows[k])
    for q in range(m):
        up, down = _put_triangle(cx, nodes, chosen[q], a, b, zone)
        for side in range(3):
            # of `up` face `side` misses that node; of `down` face 2 - side does
            e0 = chosen[q, (side + 1) % 3]
            e1 = chosen[q, (side + 2) % 3]
            _attach(cx, above, e0, e1, 4 * up + side)
            _attach(cx, below, e0, e1, 4 * down + 2 - side)
            # a side of the ring itself: its neighbours, or its two ends, are next to each other
            span = abs(e1 - e0)
            if span == 1 or span == n - 1:
                k = min(e0, e1) if span == 1 else n - 1
                cx.lock[up] |= lock_above[k] << side
                cx.lock[down] |= lock_below[k] << (2 - side)
        cx.at[b] = up
        cx.at[a] = down
        cx.tally[LAST] = up
    return True
