"""Triangles of a surface that cross each other, found with exact signs."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import box_tree
from intaglio.numeric.predicates import orient3d


@njit(cache=True)
def _pierces(p, a, b, x, y, z):
    """Whether segment ab, whose ends lie strictly on both sides of triangle xyz's plane, meets the
    triangle, its rim included."""
    s1 = orient3d(p, a, b, x, y)
    s2 = orient3d(p, a, b, y, z)
    if s1 * s2 < 0:
        return False
    s3 = orient3d(p, a, b, z, x)
    return (s1 >= 0 and s2 >= 0 and s3 >= 0) or (s1 <= 0 and s2 <= 0 and s3 <= 0)


@njit(cache=True)
def _half(p, t, a, b, side):
    """Whether an edge of triangle b meets triangle a. side (3,): b's corners against a's plane.

    False, with the sides set, as soon as all of b lies on one side.
    """
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
        return False
    for i in range(3):
        j = (i + 1) % 3
        if side[i] * side[j] < 0 and _pierces(p, t[b, i], t[b, j], x, y, z):
            return True
    return False


@njit(cache=True)
def _share(t, a, b):
    n = 0
    for i in range(3):
        for j in range(3):
            if t[a, i] == t[b, j]:
                n += 1
    return n


@njit(cache=True)
def _apart(low, high, a, b):
    for i in range(3):
        if low[b, i] > high[a, i] or high[b, i] < low[a, i]:
            return True
    return False


@njit(cache=True)
def _crossing(tree, low, high, out):
    """Pairs that cross, into out (k, 2); how many there are, which may be more than fit."""
    found = 0
    p = tree.points
    t = tree.triangles
    stack = np.empty(96, np.int32)
    side = np.empty(3, np.int64)
    for a in range(t.shape[0]):
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
                if _half(p, t, a, b, side) or _half(p, t, b, a, side):
                    if found < out.shape[0]:
                        out[found, 0] = a
                        out[found, 1] = b
                    found += 1
    return found


def crossing_pairs(points: NDArray[np.float64], triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """Pairs (k, 2) of triangles (m, 3) that cross or touch where they share no corner."""
    corner = points[triangles]
    low, high = corner.min(axis=1), corner.max(axis=1)
    tree = box_tree(points, triangles)
    out = np.empty((max(1000, len(triangles)), 2), np.int32)
    found = _crossing(tree, low, high, out)
    if found > len(out):
        out = np.empty((found, 2), np.int32)
        _crossing(tree, low, high, out)
    return out[:found]


def crossing_triangles(
    points: NDArray[np.float64], triangles: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Numbers of triangles (m, 3) that cross another, or touch it where they share no corner."""
    return np.unique(crossing_pairs(points, triangles))
