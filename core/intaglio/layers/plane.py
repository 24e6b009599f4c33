"""Triangles of a plane polygon with holes, given nodes within it: constrained Delaunay.

Mostly the Delaunay triangulation of the nodes has the polygon's edges. Where one is missing, what
it crosses is triangulated anew on both sides of it (M. Anglada, "An improved incremental algorithm
for constructing restricted Delaunay triangulations", Computers & Graphics 21, 1997). Should that
fail, the polygon is triangulated alone, the nodes are put in one by one, and edges are flipped.
"""

import manifold3d
import numpy as np
from numba import njit
from scipy.spatial import Delaunay, QhullError

from intaglio.facets.capping import flipped
from intaglio.layers.shell import Bools, Floats, Ints, Longs
from intaglio.triangles.closure import edge_keys

# twice the area of a triangle without one, over its longest edge squared
_FLAT = 1e-7


@njit(cache=True)
def _parity(spot, a, b, out):
    """Whether each spot lies within closed polygons of edges a[k] to b[k], by the even-odd rule."""
    for s in range(spot.shape[0]):
        x = spot[s, 0]
        y = spot[s, 1]
        odd = False
        for k in range(a.shape[0]):
            if (a[k, 1] > y) != (b[k, 1] > y):
                t = (y - a[k, 1]) / (b[k, 1] - a[k, 1])
                if a[k, 0] + t * (b[k, 0] - a[k, 0]) > x:
                    odd = not odd
        out[s] = odd


def within(spots: Floats, points: Floats, edges: Longs) -> Bools:
    """Whether spots (k, 2) lie within the polygons of edges (e, 2) of points (n, 2)."""
    out = np.zeros(len(spots), np.bool_)
    _parity(np.ascontiguousarray(spots, np.float64), points[edges[:, 0]], points[edges[:, 1]], out)
    return out


@njit(cache=True)
def _near(spot, a, b, share, out):
    """Whether each spot lies within a share of an edge's length from that edge, or within the
    circle over the edge."""
    for s in range(spot.shape[0]):
        out[s] = False
        for k in range(a.shape[0]):
            ux = b[k, 0] - a[k, 0]
            uy = b[k, 1] - a[k, 1]
            px = spot[s, 0] - a[k, 0]
            py = spot[s, 1] - a[k, 1]
            length = ux * ux + uy * uy
            qx = spot[s, 0] - b[k, 0]
            qy = spot[s, 1] - b[k, 1]
            if px * qx + py * qy < 0.0:
                out[s] = True
                break
            t = min(1.0, max(0.0, (px * ux + py * uy) / length))
            dx = px - t * ux
            dy = py - t * uy
            if dx * dx + dy * dy < share * share * length:
                out[s] = True
                break


def near(spots: Floats, points: Floats, edges: Longs, share: float) -> Bools:
    """Whether spots (k, 2) lie so near an edge (e, 2) of points (n, 2), in its lengths, that a
    triangle on it would be flat, or that no Delaunay triangulation would have it."""
    out = np.zeros(len(spots), np.bool_)
    _near(
        np.ascontiguousarray(spots, np.float64),
        points[edges[:, 0]],
        points[edges[:, 1]],
        share,
        out,
    )
    return out


def triangulated(points: Floats, edges: Longs, inner: Longs) -> Ints | None:
    """Triangles (t, 3), counter-clockwise, of the polygon whose edges (e, 2) run counter-clockwise
    around it, with the nodes `inner` within. None where the edges bound no simple polygon."""
    used = np.unique(np.concatenate([edges.ravel(), inner]))
    try:
        rows = used[Delaunay(points[used]).simplices]
    except QhullError:
        return None
    rows = _turned(points, rows)
    have = edge_keys(rows[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2).astype(np.int32))
    missing = edges[~np.isin(edge_keys(edges.astype(np.int32)), have)]
    if len(missing):
        rows = _with_edges(points, rows, [(a, b) for a, b in missing.tolist()])
    rows = rows[_solid(points, rows) & within(points[rows].mean(axis=1), points, edges)]
    sides = rows[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    if not _bounded_by(sides, edges):
        built = _by_hand(points, edges, inner)
        if built is None:
            return None
        rows = built
    return rows.astype(np.int32)


def _solid(points: Floats, rows: Longs) -> Bools:
    """Which triangles have an area: along a straight rim the hull has some that have none."""
    p = points[rows]
    u, v = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    area = np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])
    longest = np.max([(x * x).sum(axis=1) for x in (u, v, u - v)], axis=0)
    out: Bools = area > _FLAT * longest
    return out


def _turned(points: Floats, rows: Longs) -> Longs:
    a, b, c = (points[rows[:, i]] for i in range(3))
    u, v = b - a, c - a
    clockwise = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0] < 0
    out = rows.copy()
    out[clockwise] = rows[clockwise][:, [0, 2, 1]]
    return out


def _with_edges(points: Floats, rows: Longs, missing: list[tuple[int, int]]) -> Longs:
    """Triangles (t, 3) made anew where they are in the way of missing edges; an edge that runs
    through a node stays missing."""
    at: dict[tuple[int, int], int] = {}
    around: dict[int, set[int]] = {}
    made: dict[int, tuple[int, int, int]] = {}

    def add(t: int, row: tuple[int, int, int]) -> None:
        made[t] = row
        a, b, c = row
        at[a, b] = at[b, c] = at[c, a] = t
        for v in row:
            around.setdefault(v, set()).add(t)

    for t, row in enumerate(rows.tolist()):
        add(t, (row[0], row[1], row[2]))
    fresh = len(rows)
    for a, b in missing:
        crossed = _crossed(points, made, at, around, a, b)
        if crossed is None:
            continue
        gone, left, right = crossed
        for t in gone:
            x, y, z = made.pop(t)
            for e in ((x, y), (y, z), (z, x)):
                if at.get(e) == t:
                    del at[e]
            for v in (x, y, z):
                around[v].discard(t)
        for row in (*_side(points, left, a, b), *_side(points, right[::-1], b, a)):
            add(fresh, row)
            fresh += 1
    return np.array(list(made.values()), np.int64)


def _crossed(
    points: Floats,
    made: dict[int, tuple[int, int, int]],
    at: dict[tuple[int, int], int],
    around: dict[int, set[int]],
    a: int,
    b: int,
) -> tuple[list[int], list[int], list[int]] | None:
    """The triangles that the segment from a to b crosses, and the nodes along its left and right;
    None where it meets a node or an end of the triangulation."""
    p, q = points[a], points[b]
    for t in around[a]:
        row = made[t]
        k = row.index(a)
        right, left = row[(k + 1) % 3], row[(k + 2) % 3]
        if _cross(p, q, points[right]) < 0 < _cross(p, q, points[left]):
            break
    else:
        return None
    gone, lefts, rights = [t], [left], [right]
    for _ in range(len(made)):
        t = at.get((left, right), -1)
        if t < 0:
            return None
        gone.append(t)
        tip = next(v for v in made[t] if v not in (left, right))
        if tip == b:
            return gone, lefts, rights
        side = _cross(p, q, points[tip])
        if side == 0:
            return None
        if side > 0:
            left = tip
            lefts.append(tip)
        else:
            right = tip
            rights.append(tip)
    return None


def _side(points: Floats, chain: list[int], a: int, b: int) -> list[tuple[int, int, int]]:
    """Triangles of the polygon between the edge from a to b and a chain of nodes on its left."""
    if not chain:
        return []
    best = 0
    for k in range(1, len(chain)):
        if _in_circle(points[a], points[b], points[chain[best]], points[chain[k]]):
            best = k
    c = chain[best]
    return [
        (a, b, c),
        *_side(points, chain[:best], a, c),
        *_side(points, chain[best + 1 :], c, b),
    ]


def _in_circle(a: Floats, b: Floats, c: Floats, p: Floats) -> bool:
    """Whether p lies within the circle through a, b, c, which run counter-clockwise."""
    rows = [(x[0] - p[0], x[1] - p[1]) for x in (a, b, c)]
    (ax, ay), (bx, by), (cx, cy) = rows
    return bool(
        (ax * ax + ay * ay) * (bx * cy - cx * by)
        - (bx * bx + by * by) * (ax * cy - cx * ay)
        + (cx * cx + cy * cy) * (ax * by - bx * ay)
        > 0
    )


def _bounded_by(sides: Longs, edges: Longs) -> bool:
    """Whether half edges (k, 2) that none runs against are exactly the given ones; given ones that
    run against each other, along a slit, are to be there both."""
    code, back = _codes(sides)
    if len(np.unique(code)) < len(code):
        return False
    want, against = _codes(edges)
    slit = np.isin(want, against)
    rim = code[~np.isin(code, back)]
    return bool(
        np.array_equal(np.sort(rim), np.sort(want[~slit])) and np.isin(want[slit], code).all()
    )


def _codes(half: Longs) -> tuple[Longs, Longs]:
    """A number (k,) for each half edge, and that of the one that runs against it."""
    a, b = half[:, 0].astype(np.int64), half[:, 1].astype(np.int64)
    return (a << 32) | b, (b << 32) | a


def _loops(edges: Longs) -> list[Longs] | None:
    """The closed walks of half edges, None where a node has not one before and one after it."""
    after = dict(edges.tolist())
    if len(after) != len(edges) or set(after) != set(edges[:, 1].tolist()):
        return None
    out: list[Longs] = []
    while after:
        first, at = after.popitem()
        loop = [first]
        while at != first:
            loop.append(at)
            at = after.pop(at)
        out.append(np.array(loop, np.int64))
    return out


def _by_hand(points: Floats, edges: Longs, inner: Longs) -> Longs | None:
    loops = _loops(edges)
    if loops is None:
        return None
    try:
        rows = np.asarray(manifold3d.triangulate([points[loop] for loop in loops]))
    except (RuntimeError, ValueError):
        return None
    if not len(rows):
        return None
    tri: list[tuple[int, int, int]] = [
        tuple(t) for t in _turned(points, np.concatenate(loops)[rows]).tolist()
    ]
    for node in inner.tolist():
        _put_in(points, tri, node)
    rim = {(min(e), max(e)) for e in edges.tolist()}
    solid = np.column_stack([points, np.zeros(len(points))])
    made = np.array(flipped(solid.tolist(), tri, rim), np.int64)
    sides = made[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    return made if _bounded_by(sides, edges) else None


def _put_in(points: Floats, tri: list[tuple[int, int, int]], node: int) -> None:
    """Part the triangle that holds a node in three; left out where none does."""
    p = points[node]
    for t, (a, b, c) in enumerate(tri):
        if all(_cross(points[u], points[v], p) > 0 for u, v in ((a, b), (b, c), (c, a))):
            tri[t] = (a, b, node)
            tri += [(b, c, node), (c, a, node)]
            return


def _cross(a: Floats, b: Floats, p: Floats) -> float:
    return float((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]))


def smoothed(points: Floats, triangles: Ints, inner: Longs, rounds: int = 4) -> Floats:
    """Points (n, 2) with the inner nodes moved towards the middle of their neighbours, as long as
    no triangle at them gets a smaller least angle than it has."""
    out = points.copy()
    corner = triangles.ravel()
    order = np.argsort(corner, kind="stable")
    begin = np.searchsorted(corner[order], np.append(inner, 0))
    end = np.searchsorted(corner[order], np.append(inner, 0), side="right")
    _settle(out, triangles, inner.astype(np.int64), begin, end, order // 3, rounds)
    return out


@njit(cache=True)
def _settle(points, triangles, inner, begin, end, around, rounds):
    """Move inner nodes, whose triangles are around[begin:end], in place."""
    for _ in range(rounds):
        for k in range(inner.shape[0]):
            rows = around[begin[k] : end[k]]
            if rows.shape[0] == 0:
                continue
            v = inner[k]
            before = _least_sine(points, triangles, rows)
            x, y = points[v]
            middle_x = middle_y = 0.0
            for t in rows:
                # around an inner node each neighbour comes twice
                for i in range(3):
                    if triangles[t, i] != v:
                        middle_x += points[triangles[t, i], 0]
                        middle_y += points[triangles[t, i], 1]
            points[v, 0] = middle_x / (2 * rows.shape[0])
            points[v, 1] = middle_y / (2 * rows.shape[0])
            if _least_sine(points, triangles, rows) <= before:
                points[v, 0], points[v, 1] = x, y


@njit(cache=True)
def _least_sine(points, triangles, rows):
    """Least of twice the area over the product of the two longest sides; negative if turned."""
    least = np.inf
    for t in rows:
        a, b, c = points[triangles[t, 0]], points[triangles[t, 1]], points[triangles[t, 2]]
        area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        one = np.hypot(b[0] - a[0], b[1] - a[1])
        two = np.hypot(c[0] - b[0], c[1] - b[1])
        three = np.hypot(a[0] - c[0], a[1] - c[1])
        shortest = max(min(one, two, three), 1e-300)
        sides = max(one * two * three / shortest, 1e-300)
        least = min(least, area / sides)
    return least
