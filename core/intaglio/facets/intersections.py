"""Triangles of a surface that cross each other, found with exact signs."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import box_tree
from intaglio.numeric.predicates import orient3d


@njit(cache=True)
def _pierces(p, a, b, x, y, z):
    """Whether segment ab passes through the inside of triangle xyz."""
    sa = orient3d(p, x, y, z, a)
    sb = orient3d(p, x, y, z, b)
    if sa == 0 or sb == 0 or sa == sb:
        return False
    s1 = orient3d(p, a, b, x, y)
    s2 = orient3d(p, a, b, y, z)
    s3 = orient3d(p, a, b, z, x)
    return (s1 > 0 and s2 > 0 and s3 > 0) or (s1 < 0 and s2 < 0 and s3 < 0)


@njit(cache=True)
def _share(t, a, b):
    n = 0
    for i in range(3):
        for j in range(3):
            if t[a, i] == t[b, j]:
                n += 1
    return n


@njit(cache=True)
def _crossing(tree, low, high, out):
    p = tree.points
    t = tree.triangles
    stack = np.empty(96, np.int32)
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
                if b <= a or _share(t, a, b) >= 2:
                    continue
                hit = False
                for i in range(3):
                    hit = hit or _pierces(p, t[a, i], t[a, (i + 1) % 3], t[b, 0], t[b, 1], t[b, 2])
                    hit = hit or _pierces(p, t[b, i], t[b, (i + 1) % 3], t[a, 0], t[a, 1], t[a, 2])
                if hit:
                    out[a] = True
                    out[b] = True


def crossing_triangles(
    points: NDArray[np.float64], triangles: NDArray[np.int32]
) -> NDArray[np.int64]:
    """Numbers of triangles (m, 3) that properly cross another one."""
    corner = points[triangles]
    out = np.zeros(len(triangles), np.bool_)
    _crossing(box_tree(points, triangles), corner.min(axis=1), corner.max(axis=1), out)
    return np.flatnonzero(out)
