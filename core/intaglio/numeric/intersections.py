"""Triangles of a surface that cross each other, found with exact signs."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import box_tree, triangle_boxes
from intaglio.numeric.chunks import FEW_SLOW, in_chunks
from intaglio.numeric.predicates import orient3d

# how two triangles meet
APART, TOUCHING, CROSSING = 0, 1, 2


@njit(cache=True)
def _pierces(p, a, b, x, y, z):
    """How segment ab, whose ends lie strictly on both sides of triangle xyz's plane, meets the
    triangle: APART, TOUCHING its rim, or CROSSING its inside."""
    s1 = orient3d(p, a, b, x, y)
    s2 = orient3d(p, a, b, y, z)
    if s1 * s2 < 0:
        return APART
    s3 = orient3d(p, a, b, z, x)
    if s1 * s3 < 0 or s2 * s3 < 0:
        return APART
    return CROSSING if s1 * s2 * s3 != 0 else TOUCHING


@njit(cache=True)
def _half(p, t, a, b, side):
    """How an edge of triangle b meets triangle a. side (3,): b's corners against a's plane."""
    x, y, z = t[a, 0], t[a, 1], t[a, 2]
    above = 0
    below = 0
    for i in range(3):
        v = t[b, i]
        if v == x or v == y or v == z:
            side[i] = 0
        else:
            side[i] = orient3d(p, x, y, z, v)
        above += side[i] > 0
        below += side[i] < 0
    if above == 0 or below == 0:
        return APART
    met = APART
    for i in range(3):
        j = (i + 1) % 3
        if side[i] * side[j] < 0:
            met = max(met, _pierces(p, t[b, i], t[b, j], x, y, z))
    return met


@njit(cache=True)
def _share(t, a, b):
    """How many nodes triangles a and b share."""
    n = 0
    for i in range(3):
        for j in range(3):
            if t[a, i] == t[b, j]:
                n += 1
    return n


@njit(cache=True)
def _apart(low, high, a, b):
    """Whether the boxes of a and b are apart."""
    for i in range(3):
        if low[b, i] > high[a, i] or high[b, i] < low[a, i]:
            return True
    return False


@njit(cache=True)
def _overlies(p, t, a, b):
    """Whether triangles in one exact plane that face the same way cover a common piece of it."""
    for i in range(3):
        v = t[b, i]
        apart = v != t[a, 0] and v != t[a, 1] and v != t[a, 2]
        if apart and orient3d(p, t[a, 0], t[a, 1], t[a, 2], v) != 0:
            return False
    normal = np.zeros((2, 3))
    for k in range(2):
        s = a if k == 0 else b
        for i in range(3):
            j, m = (i + 1) % 3, (i + 2) % 3
            normal[k, i] = (p[t[s, 1], j] - p[t[s, 0], j]) * (p[t[s, 2], m] - p[t[s, 0], m]) - (
                p[t[s, 1], m] - p[t[s, 0], m]
            ) * (p[t[s, 2], j] - p[t[s, 0], j])
    if (normal[0] * normal[1]).sum() <= 0.0:
        return False
    flat = np.argmax(np.abs(normal[0]))
    x, y = (flat + 1) % 3, (flat + 2) % 3
    # parted by the line of an edge, with all of the other triangle beyond it or on it
    for k in range(2):
        s, o = (a, b) if k == 0 else (b, a)
        for i in range(3):
            u, v = t[s, i], t[s, (i + 1) % 3]
            ex, ey = p[v, x] - p[u, x], p[v, y] - p[u, y]
            sign = 1.0 if normal[k, flat] > 0.0 else -1.0
            beyond = True
            for j in range(3):
                w = t[o, j]
                wx, wy = p[w, x] - p[u, x], p[w, y] - p[u, y]
                slack = 1e-10 * (ex * ex + ey * ey + wx * wx + wy * wy)
                beyond = beyond and sign * (ex * wy - ey * wx) <= slack
            if beyond:
                return False
    return True


@njit(cache=True, nogil=True)
def _crossing(tree, low, high, flat, out, start, end):
    """Pairs whose first is of start..end that meet, and how, into out (k, 3); how many, which may
    be more than fit."""
    found = 0
    p = tree.points
    t = tree.triangles
    stack = np.empty(96, np.int32)
    side = np.empty(3, np.int64)
    for a in range(start, end):
        stack[0] = tree.root[0]
        top = 1
        while top > 0:
            top -= 1
            k = stack[top]
            apart = False
            for i in range(3):
                if tree.box[k, i] > high[a, i] or tree.box[k, 3 + i] < low[a, i]:
                    apart = True
            if apart:
                continue
            if tree.child[k, 0] >= 0:
                stack[top] = tree.child[k, 0]
                stack[top + 1] = tree.child[k, 1]
                top += 2
                continue
            for j in range(tree.child[k, 2], tree.child[k, 3]):
                b = tree.items[j]
                if b <= a or _apart(low, high, a, b) or _share(t, a, b) >= 2:
                    continue
                met = _half(p, t, np.int64(a), np.int64(b), side)
                if met != CROSSING:
                    met = max(met, _half(p, t, np.int64(b), np.int64(a), side))
                if met != CROSSING and flat and _overlies(p, t, a, b):
                    met = CROSSING
                if met != APART:
                    if found < out.shape[0]:
                        out[found, 0] = a
                        out[found, 1] = b
                        out[found, 2] = met
                    found += 1
    return found


def meeting_pairs(
    points: NDArray[np.float64], triangles: NDArray[np.int32], flat: bool = False
) -> NDArray[np.int32]:
    """Rows (k, 3): two of the triangles (m, 3) that meet where they share no corner, and TOUCHING
    if only at the rim of one, else CROSSING.

    flat: those too that lie in one plane, face the same way and cover a common piece of it.
    """
    low, high = triangle_boxes(points, triangles)
    tree = box_tree(points, triangles)
    parts: dict[int, NDArray[np.int32]] = {}

    def look(start: int, end: int) -> None:
        out = np.empty((max(1000, end - start), 3), np.int32)
        found = _crossing(tree, low, high, flat, out, start, end)
        if found > len(out):
            out = np.empty((found, 3), np.int32)
            _crossing(tree, low, high, flat, out, start, end)
        parts[start] = out[:found]

    in_chunks(look, len(triangles), FEW_SLOW)
    return np.concatenate([parts[start] for start in sorted(parts)])


def crossing_pairs(points: NDArray[np.float64], triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """Pairs (k, 2) of triangles (m, 3) that cross or touch where they share no corner."""
    return meeting_pairs(points, triangles)[:, :2]


def crossing_triangles(
    points: NDArray[np.float64], triangles: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Numbers of triangles (m, 3) that cross another, or touch it where they share no corner."""
    return np.unique(crossing_pairs(points, triangles))
