"""The size field: edge length held at the corners of an octree, limited in growth.

Sources set sizes at points; at any place the smallest wins; then neighbouring edges grow no faster
than the growth rate. Source of the limiting: P.-O. Persson, "Mesh size functions for implicit
geometries and PDE-based gradient limiting", Engineering with Computers 22 (2006); here on the graph
of cell corners instead of by a PDE.
"""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.chunks import in_chunks

_MAX_LEVEL = 14


class SizeField(NamedTuple):
    """Octree over a cube: low corner (3,), side; child[k] first of eight children or -1;
    level[k]; corner[k, 0:8] numbers into value, the edge length at each corner."""

    low: NDArray[np.float64]
    side: float
    child: NDArray[np.int32]
    corner: NDArray[np.int32]
    value: NDArray[np.float64]


@njit(cache=True)
def _grow(low, side, points, size, ratio, capacity):
    """Divide leaves until each is small enough for the sizes in it, then until neighbours differ
    by one level at most. The last value is -1 where room ran out."""
    child = np.full(capacity, -1, np.int32)
    origin = np.zeros((capacity, 3), np.int32)  # low corner in units of the finest cell
    level = np.zeros(capacity, np.int8)
    used = 1
    for k in range(points.shape[0]):
        node = 0
        half = side
        while True:
            if child[node] < 0:
                if half <= ratio * size[k] or level[node] >= _MAX_LEVEL:
                    break
                if used + 8 > capacity:
                    return child, origin, level, -1
                used = _divide(child, origin, level, node, used)
            half *= 0.5
            unit = side / (1 << _MAX_LEVEL)
            middle = 1 << (_MAX_LEVEL - level[node] - 1)
            o = 0
            for i in range(3):
                if points[k, i] >= low[i] + (origin[node, i] + middle) * unit:
                    o |= 1 << i
            node = child[node] + o
    # neighbours differ by one level at most
    changed = True
    while changed:
        changed = False
        n = used
        for node in range(n):
            if child[node] >= 0 or level[node] < 2:
                continue
            w = 1 << (_MAX_LEVEL - level[node])
            for axis in range(3):
                for way in (-1, 1):
                    q = origin[node].copy()
                    q[axis] += w if way > 0 else -1
                    if q[axis] < 0 or q[axis] >= (1 << _MAX_LEVEL):
                        continue
                    other = _leaf_at(child, level, q)
                    if level[other] < level[node] - 1:
                        if used + 8 > capacity:
                            return child, origin, level, -1
                        used = _divide(child, origin, level, other, used)
                        changed = True
    return child, origin, level, used


@njit(cache=True)
def _divide(child, origin, level, node, used):
    child[node] = used
    w = 1 << (_MAX_LEVEL - level[node] - 1)
    for o in range(8):
        for i in range(3):
            origin[used + o, i] = origin[node, i] + (w if (o >> i) & 1 else 0)
        level[used + o] = level[node] + 1
    return used + 8


@njit(cache=True)
def _leaf_at(child, level, q):
    """The leaf that holds the finest cell q (3,)."""
    node = 0
    while child[node] >= 0:
        s = _MAX_LEVEL - level[node] - 1
        o = ((q[0] >> s) & 1) | (((q[1] >> s) & 1) << 1) | (((q[2] >> s) & 1) << 2)
        node = child[node] + o
    return node


@njit(cache=True)
def _spread(corner, leaves, xyz, value, gradient):
    """Limit growth along the edges and diagonals of the leaves until nothing changes."""
    for sweep in range(200):
        change = 0.0
        for k in range(leaves.size):
            node = leaves[k] if sweep % 2 == 0 else leaves[leaves.size - 1 - k]
            for i in range(8):
                a = corner[node, i]
                for j in range(8):
                    if i == j:
                        continue
                    b = corner[node, j]
                    d = np.sqrt(
                        (xyz[a, 0] - xyz[b, 0]) ** 2
                        + (xyz[a, 1] - xyz[b, 1]) ** 2
                        + (xyz[a, 2] - xyz[b, 2]) ** 2
                    )
                    limit = value[a] + gradient * d
                    if value[b] > limit:
                        change = max(change, (value[b] - limit) / limit)
                        value[b] = limit
        if change < 1e-4:
            return


@njit(cache=True)
def _seed(child, corner, low, side, xyz, value, points, size, gradient):
    """Lower the corners of the leaf at each source to what growth from there allows."""
    # within half a leaf growth is not counted: else what is read back on a surface would lie above
    # what was put there
    for k in range(points.shape[0]):
        node = _leaf_of(child, low, side, points[k, 0], points[k, 1], points[k, 2])
        near = 0.5 * (xyz[corner[node, 1], 0] - xyz[corner[node, 0], 0])
        for i in range(8):
            c = corner[node, i]
            d = np.sqrt(
                (xyz[c, 0] - points[k, 0]) ** 2
                + (xyz[c, 1] - points[k, 1]) ** 2
                + (xyz[c, 2] - points[k, 2]) ** 2
            )
            value[c] = min(value[c], size[k] + gradient * max(0.0, d - near))


@njit(cache=True)
def _leaf_of(child, low, side, x, y, z):
    """The leaf that holds a point."""
    node = 0
    half = side * 0.5
    x -= low[0]
    y -= low[1]
    z -= low[2]
    while child[node] >= 0:
        o = 0
        if x >= half:
            o |= 1
            x -= half
        if y >= half:
            o |= 2
            y -= half
        if z >= half:
            o |= 4
            z -= half
        node = child[node] + o
        half *= 0.5
    return node


@njit(cache=True)
def size_at(field, x, y, z):
    """Edge length at one point, trilinear within its leaf; points outside take the nearest."""
    low = field.low
    child = field.child
    c = field.corner
    v = field.value
    x = (x - low[0]) / field.side
    y = (y - low[1]) / field.side
    z = (z - low[2]) / field.side
    x = min(max(x, 0.0), 1.0)
    y = min(max(y, 0.0), 1.0)
    z = min(max(z, 0.0), 1.0)
    node = 0
    while child[node] >= 0:
        x *= 2.0
        y *= 2.0
        z *= 2.0
        o = 0
        if x >= 1.0:
            o |= 1
            x -= 1.0
        if y >= 1.0:
            o |= 2
            y -= 1.0
        if z >= 1.0:
            o |= 4
            z -= 1.0
        node = child[node] + o
    x0 = v[c[node, 0]] * (1 - x) + v[c[node, 1]] * x
    x1 = v[c[node, 2]] * (1 - x) + v[c[node, 3]] * x
    x2 = v[c[node, 4]] * (1 - x) + v[c[node, 5]] * x
    x3 = v[c[node, 6]] * (1 - x) + v[c[node, 7]] * x
    y0 = x0 * (1 - y) + x1 * y
    y1 = x2 * (1 - y) + x3 * y
    return y0 * (1 - z) + y1 * z


@njit(cache=True, nogil=True)
def _sizes(field, points, out, start, end):
    for k in range(start, end):
        out[k] = size_at(field, points[k, 0], points[k, 1], points[k, 2])


def sizes(field: SizeField, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Edge lengths (n,) at points (n, 3)."""
    at = np.ascontiguousarray(points, np.float64)
    out = np.empty(len(at))
    in_chunks(lambda start, end: _sizes(field, at, out, start, end), len(at))
    return out


@njit(cache=True)
def _spreads(field, points):
    """Largest over smallest size of the leaf at each point, less one."""
    out = np.empty(points.shape[0])
    for k in range(points.shape[0]):
        node = _leaf_of(
            field.child, field.low, field.side, points[k, 0], points[k, 1], points[k, 2]
        )
        low = np.inf
        high = 0.0
        for i in range(8):
            value = field.value[field.corner[node, i]]
            low = min(low, value)
            high = max(high, value)
        out[k] = high / low - 1.0
    return out


def spreads(field: SizeField, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much larger (n,) the largest size than the smallest is in the leaf that holds a point."""
    return _spreads(field, np.ascontiguousarray(points, np.float64))


def build_field(
    points: NDArray[np.float64],
    size: NDArray[np.float64],
    largest: float,
    growth: float,
    low: NDArray[np.float64],
    high: NDArray[np.float64],
) -> SizeField:
    """Size field over the box low..high from sizes (n,) at points (n, 3).

    largest: edge length far from all sources; growth: ratio of neighbouring edges (> 1).
    """
    side = float((high - low).max()) * 1.04 + 1e-300
    corner_low = (low + high) / 2 - side / 2
    gradient = growth - 1.0
    order = np.argsort(size, kind="stable")[::-1]
    spot, small = np.ascontiguousarray(points[order]), np.ascontiguousarray(size[order])
    # a coarse grid everywhere, so that growth has room to show
    n = 8
    coarse = (np.stack(np.meshgrid(*[np.arange(n) + 0.5] * 3), -1).reshape(-1, 3) / n) * side
    coarse_size = np.full(len(coarse), side / n / 2.0)
    capacity = 200_000
    while True:
        child, origin, level, used = _grow(
            corner_low,
            side,
            np.concatenate([corner_low + coarse, spot]),
            np.concatenate([coarse_size, small]),
            2.0,
            capacity,
        )
        if used > 0:
            break
        capacity *= 3
    child, origin, level = child[:used], origin[:used].astype(np.int64), level[:used]
    leaves = np.flatnonzero(child < 0)
    width = (1 << (_MAX_LEVEL - level[leaves].astype(np.int64)))[:, None, None]
    offset = np.array([[(o >> i) & 1 for i in range(3)] for o in range(8)])
    grid = origin[leaves][:, None, :] + width * offset[None]
    n_side = (1 << _MAX_LEVEL) + 1
    code = (grid[..., 2] * n_side + grid[..., 1]) * n_side + grid[..., 0]
    unique, inverse = np.unique(code, return_inverse=True)
    xyz = (
        np.stack(
            [unique % n_side, (unique // n_side) % n_side, unique // (n_side * n_side)], axis=1
        )
        * (side / (1 << _MAX_LEVEL))
        + corner_low
    )
    corner = np.zeros((used, 8), np.int32)
    corner[leaves] = inverse.reshape(-1, 8)
    value = np.full(len(unique), float(largest))
    _seed(child, corner, corner_low, side, xyz, value, spot, small, gradient)
    _spread(corner, leaves, xyz, value, gradient)
    return SizeField(corner_low, side, child.copy(), corner, value)
