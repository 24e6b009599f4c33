"""Remeshing a closed surface to a size field: split, collapse, flip, smooth, project.

Source: M. Botsch, L. Kobbelt, "A remeshing approach to multiresolution modeling" (SGP 2004), with
lengths measured in the size field and feature curves held. Nodes on a curve move only along its
arc length, nodes on a face only on its reference facets, corners never.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.facets import Curves, Facets, triangle_areas
from intaglio.facets.surface import (
    CORNER,
    MAX_RING,
    ON_CURVE,
    ON_FACE,
    POINTS,
    TRIANGLES,
    Surface,
    collapse,
    corner_of,
    flip,
    linked,
    make_surface,
    ring,
    split,
)
from intaglio.numeric.boxtree import box_tree, nearest
from intaglio.sizing.octree import SizeField, size_at, sizes

_LONG = 1.38
_SHORT = 0.70


@dataclass(frozen=True)
class RemeshedSurface:
    """points (n, 3); triangles (m, 3); region (m,); kind, owner, arc (n,) as in Surface;
    edges (e, 2) on curves and their curve (e,)."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    kind: NDArray[np.int8]
    owner: NDArray[np.int32]
    arc: NDArray[np.float64]
    edges: NDArray[np.int32]
    edge_curve: NDArray[np.int32]


@njit(cache=True)
def shape(p, a, b, c):
    """Triangle quality 4√3·area / Σ edge², 1 for equilateral, 0 for flat."""
    ux = p[b, 0] - p[a, 0]
    uy = p[b, 1] - p[a, 1]
    uz = p[b, 2] - p[a, 2]
    vx = p[c, 0] - p[a, 0]
    vy = p[c, 1] - p[a, 1]
    vz = p[c, 2] - p[a, 2]
    nx = uy * vz - uz * vy
    ny = uz * vx - ux * vz
    nz = ux * vy - uy * vx
    wx = vx - ux
    wy = vy - uy
    wz = vz - uz
    total = ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz + wx * wx + wy * wy + wz * wz
    if total == 0.0:
        return 0.0
    return 3.4641016151377544 * np.sqrt(nx * nx + ny * ny + nz * nz) / total


@njit(cache=True)
def _normal(p, a, b, c):
    ux = p[b, 0] - p[a, 0]
    uy = p[b, 1] - p[a, 1]
    uz = p[b, 2] - p[a, 2]
    vx = p[c, 0] - p[a, 0]
    vy = p[c, 1] - p[a, 1]
    vz = p[c, 2] - p[a, 2]
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@njit(cache=True)
def _length(s, a, b):
    """Edge length in the size field."""
    p = s.points
    d = (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2
    return np.sqrt(d) / (0.5 * (s.size[a] + s.size[b]))


@njit(cache=True)
def _on_curve(start, points, arc, c, at, out):
    """Point of curve c at arc length `at` into out."""
    lo = start[c]
    hi = start[c + 1] - 1
    while hi - lo > 1:
        middle = (lo + hi) // 2
        if arc[middle] <= at:
            lo = middle
        else:
            hi = middle
    span = arc[hi] - arc[lo]
    r = (at - arc[lo]) / span if span > 0 else 0.0
    r = min(max(r, 0.0), 1.0)
    for i in range(3):
        out[i] = points[lo, i] * (1 - r) + points[hi, i] * r


@njit(cache=True)
def _arc_of(s, v, c, partner, length, ends):
    """Arc length of node v on curve c; a closed curve's corner takes the end near its partner."""
    if s.kind[v] == ON_CURVE:
        return s.arc[v]
    if ends[c, 0] != ends[c, 1]:
        return 0.0 if ends[c, 0] == v else length
    if s.kind[partner] == ON_CURVE:
        return 0.0 if s.arc[partner] < 0.5 * length else length
    return 0.0


@njit(cache=True)
def _split_pass(s, limit, field, tree, start, curve_points, curve_arc, ends):
    out = np.empty(3)
    middle = np.empty(3)
    made = 0
    n = s.tally[0]
    for t in range(n):
        for e in range(3):
            if s.tri[t, 0] < 0:
                continue
            a = s.tri[t, (e + 1) % 3]
            b = s.tri[t, (e + 2) % 3]
            if _length(s, a, b) <= limit:
                continue
            # only the longest edge of the triangle, so that angles stay moderate
            third = s.tri[t, e]
            own = _span(s, a, b)
            if own < _span(s, a, third) * 0.999 or own < _span(s, b, third) * 0.999:
                continue
            if s.tally[1] + 1 >= s.points.shape[0] or s.tally[0] + 2 >= s.tri.shape[0]:
                return -1
            c = s.curve[t, e]
            if c >= 0:
                total = curve_arc[start[c + 1] - 1]
                x = _arc_of(s, a, c, b, total, ends)
                y = _arc_of(s, b, c, a, total, ends)
                arc = 0.5 * (x + y)
                _on_curve(start, curve_points, curve_arc, c, arc, out)
                kind = ON_CURVE
                owner = c
            else:
                for i in range(3):
                    middle[i] = 0.5 * (s.points[a, i] + s.points[b, i])
                owner = s.region[t]
                if nearest(tree, owner, middle, out) < 0:
                    out[:] = middle
                kind = ON_FACE
                arc = 0.0
            h = size_at(field, out[0], out[1], out[2])
            split(s, t, e, out[0], out[1], out[2], kind, owner, arc, h)
            made += 1
    return made


@njit(cache=True)
def _span(s, a, b):
    p = s.points
    return (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2


@njit(cache=True)
def _may_collapse(s, t, e, gone, kept, scratch, n, other, long):
    """Whether pulling gone into kept keeps topology, features, orientation and lengths."""
    c = s.curve[t, e]
    if s.kind[gone] == CORNER:
        return False
    if s.kind[gone] == ON_CURVE and (c < 0 or s.owner[gone] != c):
        return False
    u = s.nbr[t, e] // 3
    m = ring(s, kept, other)
    if m < 0:
        return False
    # exactly two common neighbours
    common = 0
    for k in range(n):
        r = scratch[k]
        w = s.tri[r, (corner_of(s, r, gone) + 1) % 3]
        if w == kept:
            continue
        for j in range(m):
            q = other[j]
            if s.tri[q, (corner_of(s, q, kept) + 1) % 3] == w:
                common += 1
                break
    if common != 2 or n < 3 or m < 3:
        return False
    p = s.points
    before = 1.0
    after = 1.0
    for k in range(n):
        r = scratch[k]
        i = corner_of(s, r, gone)
        v = s.tri[r, (i + 1) % 3]
        w = s.tri[r, (i + 2) % 3]
        before = min(before, shape(p, gone, v, w))
        if r == t or r == u:
            continue
        if _length(s, kept, v) > long:
            return False
        after = min(after, shape(p, kept, v, w))
        ox, oy, oz = _normal(p, gone, v, w)
        nx, ny, nz = _normal(p, kept, v, w)
        old = np.sqrt(ox * ox + oy * oy + oz * oz)
        new = np.sqrt(nx * nx + ny * ny + nz * nz)
        if new == 0.0:
            return False
        if old > 0.0 and ox * nx + oy * ny + oz * nz < 0.7 * old * new:
            return False
    # no two features fused: an edge from gone to a third node must not hide a curve
    for half in (t, u):
        i = corner_of(s, half, gone)
        j = corner_of(s, half, kept)
        if s.curve[half, i] >= 0 and s.curve[half, j] >= 0:
            return False
    return after > 0.3 or after >= before


@njit(cache=True)
def _collapse_pass(s, limit, long):
    scratch = np.empty(MAX_RING, np.int32)
    other = np.empty(MAX_RING, np.int32)
    made = 0
    for t in range(s.tally[0]):
        for e in range(3):
            if s.tri[t, 0] < 0:
                break
            a = s.tri[t, (e + 1) % 3]
            b = s.tri[t, (e + 2) % 3]
            if _length(s, a, b) >= limit:
                continue
            for turn in range(2):
                gone = a if turn == 0 else b
                kept = b if turn == 0 else a
                n = ring(s, gone, scratch)
                if n < 0:
                    continue
                if _may_collapse(s, t, e, gone, kept, scratch, n, other, long):
                    collapse(s, t, e, gone, kept, scratch, n)
                    made += 1
                    break
    return made


@njit(cache=True)
def _worth_flipping(s, t, e, scratch, strict):
    if s.curve[t, e] >= 0:
        return False
    u = s.nbr[t, e] // 3
    if s.region[t] != s.region[u]:
        return False
    p = s.points
    a = s.tri[t, e]
    b = s.tri[t, (e + 1) % 3]
    c = s.tri[t, (e + 2) % 3]
    d = s.tri[u, s.nbr[t, e] % 3]
    if a == d:
        return False
    now = min(shape(p, a, b, c), shape(p, d, c, b))
    then = min(shape(p, a, b, d), shape(p, a, d, c))
    if then <= now * strict:
        return False
    ax, ay, az = _normal(p, a, b, c)
    bx, by, bz = _normal(p, d, c, b)
    ox = ax + bx
    oy = ay + by
    oz = az + bz
    old = np.sqrt(ox * ox + oy * oy + oz * oz)
    for side in range(2):
        if side == 0:
            nx, ny, nz = _normal(p, a, b, d)
        else:
            nx, ny, nz = _normal(p, a, d, c)
        new = np.sqrt(nx * nx + ny * ny + nz * nz)
        if new == 0.0 or (old > 0.0 and ox * nx + oy * ny + oz * nz < 0.6 * old * new):
            return False
    return not linked(s, a, d, scratch)


@njit(cache=True)
def _flip_pass(s, strict):
    scratch = np.empty(MAX_RING, np.int32)
    made = 0
    for t in range(s.tally[0]):
        for e in range(3):
            if s.tri[t, 0] < 0:
                break
            if s.nbr[t, e] // 3 > t and _worth_flipping(s, t, e, scratch, strict):
                flip(s, t, e)
                made += 1
    return made


@njit(cache=True)
def _ring_quality(s, v, scratch, n):
    worst = 2.0
    for k in range(n):
        t = scratch[k]
        worst = min(worst, shape(s.points, s.tri[t, 0], s.tri[t, 1], s.tri[t, 2]))
    return worst


@njit(cache=True)
def _try_move(s, v, x, y, z, scratch, n, normals):
    """Move v if no triangle turns over and the worst one stays good or gets better."""
    p = s.points
    for k in range(n):
        t = scratch[k]
        nx, ny, nz = _normal(p, s.tri[t, 0], s.tri[t, 1], s.tri[t, 2])
        normals[k, 0] = nx
        normals[k, 1] = ny
        normals[k, 2] = nz
    before = _ring_quality(s, v, scratch, n)
    ox = p[v, 0]
    oy = p[v, 1]
    oz = p[v, 2]
    p[v, 0] = x
    p[v, 1] = y
    p[v, 2] = z
    good = True
    after = _ring_quality(s, v, scratch, n)
    if after < 0.9 * before and after < 0.7:
        good = False
    if good:
        for k in range(n):
            t = scratch[k]
            nx, ny, nz = _normal(p, s.tri[t, 0], s.tri[t, 1], s.tri[t, 2])
            old = np.sqrt(normals[k, 0] ** 2 + normals[k, 1] ** 2 + normals[k, 2] ** 2)
            new = np.sqrt(nx * nx + ny * ny + nz * nz)
            dot = nx * normals[k, 0] + ny * normals[k, 1] + nz * normals[k, 2]
            if new == 0.0 or (old > 0.0 and dot < 0.5 * old * new):
                good = False
                break
    if not good:
        p[v, 0] = ox
        p[v, 1] = oy
        p[v, 2] = oz
    return good


@njit(cache=True)
def _smooth_pass(s, field, tree, start, curve_points, curve_arc, ends):
    scratch = np.empty(MAX_RING, np.int32)
    normals = np.empty((MAX_RING, 3))
    out = np.empty(3)
    aim = np.empty(3)
    p = s.points
    moved = 0
    for v in range(s.tally[1]):
        if s.at[v] < 0 or s.kind[v] == CORNER:
            continue
        n = ring(s, v, scratch)
        if n < 0:
            continue
        arc = 0.0
        if s.kind[v] == ON_CURVE:
            c = s.owner[v]
            total = curve_arc[start[c + 1] - 1]
            found = 0
            low = 0.0
            high = 0.0
            low_size = 0.0
            high_size = 0.0
            for k in range(n):
                t = scratch[k]
                i = corner_of(s, t, v)
                # the edge from v to the next node lies opposite the one after
                if s.curve[t, (i + 2) % 3] == c:
                    w = s.tri[t, (i + 1) % 3]
                    at = _arc_of(s, w, c, v, total, ends)
                    if at < s.arc[v]:
                        low = at
                        low_size = s.size[w]
                        found |= 1
                    else:
                        high = at
                        high_size = s.size[w]
                        found |= 2
            if found != 3:
                continue
            left = low_size + s.size[v]
            right = high_size + s.size[v]
            arc = low + (high - low) * left / (left + right)
            _on_curve(start, curve_points, curve_arc, c, arc, out)
        else:
            total = 0.0
            aim[:] = 0.0
            for k in range(n):
                t = scratch[k]
                nx, ny, nz = _normal(p, s.tri[t, 0], s.tri[t, 1], s.tri[t, 2])
                h = (s.size[s.tri[t, 0]] + s.size[s.tri[t, 1]] + s.size[s.tri[t, 2]]) / 3
                w = np.sqrt(nx * nx + ny * ny + nz * nz) / (h * h)
                total += w
                for i in range(3):
                    aim[i] += w * (p[s.tri[t, 0], i] + p[s.tri[t, 1], i] + p[s.tri[t, 2], i]) / 3.0
            if total == 0.0:
                continue
            for i in range(3):
                aim[i] /= total
            if nearest(tree, s.owner[v], aim, out) < 0:
                continue
        if _try_move(s, v, out[0], out[1], out[2], scratch, n, normals):
            s.arc[v] = arc
            s.size[v] = size_at(field, out[0], out[1], out[2])
            moved += 1
    return moved


def compact(s: Surface) -> RemeshedSurface:
    """The live triangles and nodes, renumbered."""
    m, n = int(s.tally[TRIANGLES]), int(s.tally[POINTS])
    alive = np.flatnonzero(s.tri[:m, 0] >= 0)
    tri = s.tri[alive]
    used = np.zeros(n, bool)
    used[tri.ravel()] = True
    number = np.cumsum(used) - 1
    on_curve = s.curve[alive]
    t, e = np.nonzero(on_curve >= 0)
    pair = np.stack([tri[t, (e + 1) % 3], tri[t, (e + 2) % 3]], axis=1)
    first = pair[:, 0] < pair[:, 1]
    return RemeshedSurface(
        s.points[:n][used].copy(),
        number[tri].astype(np.int32),
        s.region[alive].copy(),
        s.kind[:n][used].copy(),
        s.owner[:n][used].copy(),
        s.arc[:n][used].copy(),
        number[pair[first]].astype(np.int32),
        on_curve[t, e][first].astype(np.int32),
    )


def expected_triangles(facets: Facets, field: SizeField) -> int:
    """Triangles that the size field asks for: area over √3/4·h², h at the facets' corners."""
    h = np.sqrt((sizes(field, facets.points)[facets.triangles] ** 2).mean(axis=1))
    return int((triangle_areas(facets.points, facets.triangles) / (0.433 * h**2)).sum()) + 1


def remesh(
    facets: Facets,
    curves: Curves,
    field: SizeField,
    progress: Callable[[float], None] = lambda share: None,
    passes: int = 9,
) -> RemeshedSurface:
    """Remesh closed facets to the size field, features kept. Calls progress with a share 0..1.

    Raises StepFailed if the input is not closed or asks for more triangles than fit.
    """
    room = int(6 * expected_triangles(facets, field) + 8 * len(facets.triangles) + 20_000)
    s = make_surface(facets, curves, room)
    tree = box_tree(facets.points, facets.triangles, facets.region)
    n = int(s.tally[POINTS])
    s.size[:n] = sizes(field, facets.points)
    rest = (field, tree, curves.start, curves.points, curves.arc, curves.ends)
    for step in range(passes):
        limits = (16.0, 8.0, 4.0, 2.0, _LONG) if step == 0 else (_LONG,)
        for limit in limits:
            while True:
                made = _split_pass(s, limit, *rest)
                if made < 0:
                    raise StepFailed(
                        "surface-too-large",
                        f"The sizes ask for more than {room // 2:,} triangles. "
                        "Raise the smallest edge.",
                    )
                _flip_pass(s, 1.02)
                if made == 0:
                    break
        last = step >= passes - 3
        if not last:
            _collapse_pass(s, _SHORT, _LONG)
        _flip_pass(s, 1.02)
        for _ in range(3):
            _smooth_pass(s, *rest)
            _flip_pass(s, 1.02)
        if last:
            _mend_pass(s)
        s = _packed(s)
        progress((step + 1) / passes)
    return compact(s)


@njit(cache=True)
def _mend_pass(s):
    """Collapse the shortest edge of triangles that stayed thin."""
    scratch = np.empty(MAX_RING, np.int32)
    other = np.empty(MAX_RING, np.int32)
    for t in range(s.tally[0]):
        if s.tri[t, 0] < 0 or shape(s.points, s.tri[t, 0], s.tri[t, 1], s.tri[t, 2]) > 0.5:
            continue
        e = 0
        for i in range(1, 3):
            if _span(s, s.tri[t, (i + 1) % 3], s.tri[t, (i + 2) % 3]) < _span(
                s, s.tri[t, (e + 1) % 3], s.tri[t, (e + 2) % 3]
            ):
                e = i
        a = s.tri[t, (e + 1) % 3]
        b = s.tri[t, (e + 2) % 3]
        for turn in range(2):
            gone = a if turn == 0 else b
            kept = b if turn == 0 else a
            n = ring(s, gone, scratch)
            if n > 0 and _may_collapse(s, t, e, gone, kept, scratch, n, other, 1.6):
                collapse(s, t, e, gone, kept, scratch, n)
                break


def _packed(s: Surface) -> Surface:
    """Drop the rows of triangles that are gone; nodes keep their numbers."""
    m = int(s.tally[TRIANGLES])
    alive = np.flatnonzero(s.tri[:m, 0] >= 0)
    number = np.full(m, -1, np.int32)
    number[alive] = np.arange(len(alive), dtype=np.int32)
    k = len(alive)
    nbr = s.nbr[alive]
    s.nbr[:k] = 3 * number[nbr // 3] + nbr % 3
    s.tri[:k] = s.tri[alive]
    s.region[:k] = s.region[alive]
    s.curve[:k] = s.curve[alive]
    s.tri[k:m] = -1
    s.curve[k:m] = -1
    s.tally[TRIANGLES] = k
    s.at[s.tri[:k].ravel()] = np.repeat(np.arange(k, dtype=np.int32), 3)
    return s
