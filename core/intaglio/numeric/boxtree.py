"""A tree of boxes over groups of triangles: nearest points and ray crossings, compiled.

Each group (a CAD face, say) has a root of its own, so that a query stays within its group.
"""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.chunks import FEW_SLOW, in_chunks

_LEAF = 4


class BoxTree(NamedTuple):
    """Boxes (k, 6) as low and high corner; child[k, 0:2] nodes, or -1 and a range of items."""

    box: NDArray[np.float64]
    child: NDArray[np.int32]  # (k, 4): left, right, first item, end of items
    items: NDArray[np.int32]  # triangle numbers
    root: NDArray[np.int32]  # (groups,), -1 for an empty group
    points: NDArray[np.float64]
    triangles: NDArray[np.int32]


@njit(cache=True)
def _build(box_low, box_high, centre, items, starts, box, child, root):
    """Halve each group along its longest side, at the middle item, until leaves are small."""
    used = 0
    stack = np.empty(128, np.int32)
    for g in range(starts.size - 1):
        if starts[g] == starts[g + 1]:
            root[g] = -1
            continue
        root[g] = used
        child[used, 2] = starts[g]
        child[used, 3] = starts[g + 1]
        used += 1
        stack[0] = root[g]
        top = 1
        while top > 0:
            top -= 1
            k = stack[top]
            first = child[k, 2]
            end = child[k, 3]
            for i in range(3):
                lo = np.inf
                hi = -np.inf
                for j in range(first, end):
                    lo = min(lo, box_low[items[j], i])
                    hi = max(hi, box_high[items[j], i])
                box[k, i] = lo
                box[k, 3 + i] = hi
            child[k, 0] = -1
            if end - first <= _LEAF:
                continue
            axis = 0
            widest = -1.0
            for i in range(3):
                lo = np.inf
                hi = -np.inf
                for j in range(first, end):
                    lo = min(lo, centre[items[j], i])
                    hi = max(hi, centre[items[j], i])
                if hi - lo > widest:
                    widest = hi - lo
                    axis = i
            part = items[first:end]
            part[:] = part[np.argsort(centre[part, axis])]
            middle = (first + end) // 2
            child[k, 0] = used
            child[k, 1] = used + 1
            child[used, 2] = first
            child[used, 3] = middle
            child[used + 1, 2] = middle
            child[used + 1, 3] = end
            stack[top] = used
            stack[top + 1] = used + 1
            top += 2
            used += 2
    return used


@njit(cache=True, nogil=True)
def _boxes(points, triangles, low, high, start, end):
    for t in range(start, end):
        for i in range(3):
            a = points[triangles[t, 0], i]
            b = points[triangles[t, 1], i]
            c = points[triangles[t, 2], i]
            low[t, i] = min(a, b, c)
            high[t, i] = max(a, b, c)


def triangle_boxes(
    points: NDArray[np.float64], triangles: NDArray[np.int32]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Low and high corner (m, 3) of the box around each triangle."""
    low, high = np.empty((len(triangles), 3)), np.empty((len(triangles), 3))
    in_chunks(lambda start, end: _boxes(points, triangles, low, high, start, end), len(triangles))
    return low, high


@njit(cache=True)
def _centres(points, triangles):
    out = np.empty((triangles.shape[0], 3))
    for t in range(triangles.shape[0]):
        for i in range(3):
            out[t, i] = (
                points[triangles[t, 0], i] + points[triangles[t, 1], i] + points[triangles[t, 2], i]
            ) / 3.0
    return out


def box_tree(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    group: NDArray[np.int32] | None = None,
) -> BoxTree:
    """Tree over triangles (m, 3) of points (n, 3); group (m,) numbers from 0, one root each."""
    if group is None:
        group = np.zeros(len(triangles), np.int32)
    items = np.argsort(group, kind="stable").astype(np.int32)
    groups = int(group.max()) + 1 if len(group) else 0
    starts = np.searchsorted(group[items], np.arange(groups + 1)).astype(np.int64)
    low, high = triangle_boxes(points, triangles)
    n = 2 * len(triangles) + groups + 1
    box = np.zeros((n, 6))
    child = np.zeros((n, 4), np.int32)
    root = np.full(groups, -1, np.int32)
    used = _build(low, high, _centres(points, triangles), items, starts, box, child, root)
    return BoxTree(
        box[:used].copy(),
        child[:used].copy(),
        items,
        root,
        np.ascontiguousarray(points),
        np.ascontiguousarray(triangles),
    )


@njit(cache=True, inline="always")
def _dot(ax, ay, az, bx, by, bz):
    return ax * bx + ay * by + az * bz


@njit(cache=True)
def nearest_on_triangle(p, i, j, k, x, y, z):
    """Closest point of the triangle of rows i, j, k to (x, y, z).

    Source: C. Ericson, Real-Time Collision Detection (2005), section 5.1.5.
    """
    ax = p[i, 0]
    ay = p[i, 1]
    az = p[i, 2]
    ux = p[j, 0] - ax
    uy = p[j, 1] - ay
    uz = p[j, 2] - az
    vx = p[k, 0] - ax
    vy = p[k, 1] - ay
    vz = p[k, 2] - az
    wx = x - ax
    wy = y - ay
    wz = z - az
    d1 = _dot(ux, uy, uz, wx, wy, wz)
    d2 = _dot(vx, vy, vz, wx, wy, wz)
    if d1 <= 0 and d2 <= 0:
        return ax, ay, az
    d3 = _dot(ux, uy, uz, wx - ux, wy - uy, wz - uz)
    d4 = _dot(vx, vy, vz, wx - ux, wy - uy, wz - uz)
    if d3 >= 0 and d4 <= d3:
        return ax + ux, ay + uy, az + uz
    vc = d1 * d4 - d3 * d2
    if vc <= 0 and d1 >= 0 and d3 <= 0:
        r = d1 / (d1 - d3)
        return ax + r * ux, ay + r * uy, az + r * uz
    d5 = _dot(ux, uy, uz, wx - vx, wy - vy, wz - vz)
    d6 = _dot(vx, vy, vz, wx - vx, wy - vy, wz - vz)
    if d6 >= 0 and d5 <= d6:
        return ax + vx, ay + vy, az + vz
    vb = d5 * d2 - d1 * d6
    if vb <= 0 and d2 >= 0 and d6 <= 0:
        r = d2 / (d2 - d6)
        return ax + r * vx, ay + r * vy, az + r * vz
    va = d3 * d6 - d5 * d4
    if va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        r = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return (
            ax + ux + r * (vx - ux),
            ay + uy + r * (vy - uy),
            az + uz + r * (vz - uz),
        )
    total = va + vb + vc
    if total == 0.0:
        return ax, ay, az
    r = vb / total
    q = vc / total
    return ax + r * ux + q * vx, ay + r * uy + q * vy, az + r * uz + q * vz


@njit(cache=True)
def _box_distance(box, k, x, y, z):
    """Squared distance of a point to box k, 0 inside."""
    dx = max(box[k, 0] - x, 0.0, x - box[k, 3])
    dy = max(box[k, 1] - y, 0.0, y - box[k, 4])
    dz = max(box[k, 2] - z, 0.0, z - box[k, 5])
    return dx * dx + dy * dy + dz * dz


@njit(cache=True)
def nearest(tree, group, p, out):
    """Closest point of a group to p into out (3,); the triangle's number, or -1 if it is empty."""
    box = tree.box
    child = tree.child
    items = tree.items
    points = tree.points
    triangles = tree.triangles
    k = tree.root[group]
    if k < 0:
        return -1
    px = p[0]
    py = p[1]
    pz = p[2]
    best = np.inf
    found = -1
    stack = np.empty(96, np.int32)
    stack[0] = k
    top = 1
    while top > 0:
        top -= 1
        k = stack[top]
        if _box_distance(box, k, px, py, pz) >= best:
            continue
        if child[k, 0] < 0:
            for j in range(child[k, 2], child[k, 3]):
                t = items[j]
                x, y, z = nearest_on_triangle(
                    points, triangles[t, 0], triangles[t, 1], triangles[t, 2], px, py, pz
                )
                d = (x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2
                if d < best:
                    best = d
                    found = t
                    out[0] = x
                    out[1] = y
                    out[2] = z
            continue
        left = child[k, 0]
        right = child[k, 1]
        # the nearer one is looked at first
        if _box_distance(box, left, px, py, pz) < _box_distance(box, right, px, py, pz):
            left, right = right, left
        stack[top] = left
        stack[top + 1] = right
        top += 2
    return found


@njit(cache=True, nogil=True)
def _beyond(tree, spots, limit, out, start, end):
    stack = np.empty(96, np.int32)
    for r in range(start, end):
        px = spots[r, 0]
        py = spots[r, 1]
        pz = spots[r, 2]
        square = limit[r] * limit[r]
        out[r] = True
        stack[0] = tree.root[0]
        top = 1
        while top > 0 and out[r]:
            top -= 1
            k = stack[top]
            if k < 0 or _box_distance(tree.box, k, px, py, pz) > square:
                continue
            left = tree.child[k, 0]
            if left < 0:
                for j in range(tree.child[k, 2], tree.child[k, 3]):
                    t = tree.triangles[tree.items[j]]
                    x, y, z = nearest_on_triangle(tree.points, t[0], t[1], t[2], px, py, pz)
                    if (x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2 <= square:
                        out[r] = False
                        break
                continue
            right = tree.child[k, 1]
            # the nearer one is looked at first
            if _box_distance(tree.box, left, px, py, pz) < _box_distance(
                tree.box, right, px, py, pz
            ):
                left, right = right, left
            stack[top] = left
            stack[top + 1] = right
            top += 2


@njit(cache=True, nogil=True)
def _distances(tree, spots, out, start, end):
    foot = np.empty(3)
    for r in range(start, end):
        nearest(tree, 0, spots[r], foot)
        dx, dy, dz = foot[0] - spots[r, 0], foot[1] - spots[r, 1], foot[2] - spots[r, 2]
        out[r] = np.sqrt(dx * dx + dy * dy + dz * dz)


def distances(tree: BoxTree, spots: NDArray[np.float64]) -> NDArray[np.float64]:
    """Distance (n,) of spots (n, 3) from the triangles of a tree's first group."""
    spots = np.ascontiguousarray(spots, np.float64)
    out = np.empty(len(spots))
    in_chunks(lambda low, high: _distances(tree, spots, out, low, high), len(spots), FEW_SLOW)
    return out


def beyond(
    tree: BoxTree, spots: NDArray[np.float64], limit: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Whether spots (n, 3) are farther than limit (n,) from all triangles of a tree's first group.

    Quicker than distances: the search ends at the first triangle within the limit.
    """
    out = np.empty(len(spots), np.bool_)
    at, far = np.ascontiguousarray(spots), np.ascontiguousarray(limit)
    in_chunks(lambda start, end: _beyond(tree, at, far, out, start, end), len(out))
    return out


@njit(cache=True)
def _ray_triangle(p, i, j, k, ox, oy, oz, dx, dy, dz):
    """Distance to a triangle along a ray, or -1 (Möller & Trumbore 1997)."""
    ux = p[j, 0] - p[i, 0]
    uy = p[j, 1] - p[i, 1]
    uz = p[j, 2] - p[i, 2]
    vx = p[k, 0] - p[i, 0]
    vy = p[k, 1] - p[i, 1]
    vz = p[k, 2] - p[i, 2]
    hx = dy * vz - dz * vy
    hy = dz * vx - dx * vz
    hz = dx * vy - dy * vx
    det = _dot(ux, uy, uz, hx, hy, hz)
    if det == 0.0:
        return -1.0
    sx = ox - p[i, 0]
    sy = oy - p[i, 1]
    sz = oz - p[i, 2]
    alpha = _dot(sx, sy, sz, hx, hy, hz) / det
    if alpha < 0.0 or alpha > 1.0:
        return -1.0
    qx = sy * uz - sz * uy
    qy = sz * ux - sx * uz
    qz = sx * uy - sy * ux
    beta = _dot(dx, dy, dz, qx, qy, qz) / det
    if beta < 0.0 or alpha + beta > 1.0:
        return -1.0
    return _dot(vx, vy, vz, qx, qy, qz) / det


@njit(cache=True, nogil=True)
def _first_hits(tree, origins, directions, skip, out, hit, start, end):
    """Distance and number of the first triangle that rays start..end meet, into out and hit."""
    stack = np.empty(96, np.int32)
    for r in range(start, end):
        o = origins[r]
        d = directions[r]
        best = np.inf
        stack[0] = tree.root[0]
        top = 1
        while top > 0:
            top -= 1
            k = stack[top]
            near = skip[r]
            far = best
            for i in range(3):
                if d[i] != 0.0:
                    a = (tree.box[k, i] - o[i]) / d[i]
                    b = (tree.box[k, 3 + i] - o[i]) / d[i]
                    near = max(near, min(a, b))
                    far = min(far, max(a, b))
                elif o[i] < tree.box[k, i] or o[i] > tree.box[k, 3 + i]:
                    far = -np.inf
            if near > far * (1 + 1e-12):
                continue
            if tree.child[k, 0] >= 0:
                stack[top] = tree.child[k, 0]
                stack[top + 1] = tree.child[k, 1]
                top += 2
                continue
            for j in range(tree.child[k, 2], tree.child[k, 3]):
                t = tree.items[j]
                x = _ray_triangle(
                    tree.points,
                    tree.triangles[t, 0],
                    tree.triangles[t, 1],
                    tree.triangles[t, 2],
                    o[0],
                    o[1],
                    o[2],
                    d[0],
                    d[1],
                    d[2],
                )
                if x > skip[r] and x < best:
                    best = x
                    hit[r] = t
        out[r] = best


@njit(cache=True)
def crosses(tree, ox, oy, oz, dx, dy, dz):
    """Whether a triangle of the tree lies between o and o + d."""
    box, child = tree.box, tree.child
    lines = ((0, ox, dx), (1, oy, dy), (2, oz, dz))
    stack = np.empty(96, np.int32)
    stack[0] = tree.root[0]
    top = 1
    while top > 0:
        top -= 1
        k = stack[top]
        near, far = 0.0, 1.0
        for i, o, d in lines:
            if d != 0.0:
                a = (box[k, i] - o) / d
                b = (box[k, 3 + i] - o) / d
                near = max(near, min(a, b))
                far = min(far, max(a, b))
            elif o < box[k, i] or o > box[k, 3 + i]:
                far = -1.0
        if near > far * (1 + 1e-12):
            continue
        if child[k, 0] >= 0:
            stack[top] = child[k, 0]
            stack[top + 1] = child[k, 1]
            top += 2
            continue
        for j in range(child[k, 2], child[k, 3]):
            t = tree.items[j]
            a, b, c = tree.triangles[t, 0], tree.triangles[t, 1], tree.triangles[t, 2]
            x = _ray_triangle(tree.points, a, b, c, ox, oy, oz, dx, dy, dz)
            if 0.0 <= x <= 1.0:
                return True
    return False


def first_hits(
    tree: BoxTree,
    origins: NDArray[np.float64],
    directions: NDArray[np.float64],
    skip: NDArray[np.float64],
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Per ray the distance (r,) to the first triangle beyond `skip` (r,), or inf, and its number
    (r,), or -1."""
    out = np.full(len(origins), np.inf)
    hit = np.full(len(origins), -1, np.int64)
    origins, directions = np.ascontiguousarray(origins), np.ascontiguousarray(directions)
    in_chunks(
        lambda start, end: _first_hits(tree, origins, directions, skip, out, hit, start, end),
        len(origins),
        FEW_SLOW,
    )
    return out, hit


def ray_distances(
    tree: BoxTree,
    origins: NDArray[np.float64],
    directions: NDArray[np.float64],
    skip: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Distance (r,) along each ray to the first triangle beyond `skip` (r,), or inf."""
    return first_hits(tree, origins, directions, skip)[0]


def inside_closed(
    tree: BoxTree, points: NDArray[np.float64], direction: tuple[float, float, float]
) -> NDArray[np.bool_]:
    """Whether points (n, 3) lie inside a closed, outward surface: the first face hit is left."""
    d = np.array(direction) / np.linalg.norm(direction)
    rays = np.broadcast_to(d, points.shape).copy()
    _, hit = first_hits(tree, np.ascontiguousarray(points), rays, np.zeros(len(points)))
    corner = tree.points[tree.triangles[np.maximum(hit, 0)]]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    return (hit >= 0) & (normal @ d > 0)
