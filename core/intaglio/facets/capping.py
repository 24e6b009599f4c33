"""Closing holes: the triangulation of least area, then, if asked, one that runs on smoothly.

Sources: G. Barequet, M. Sharir, "Filling gaps in the boundary of a polyhedron", CAGD 12 (1995), for
the triangulation; P. Liepa, "Filling holes in meshes", SGP 2003, for refining and fairing.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_array, diags_array
from scipy.sparse.linalg import spsolve

from intaglio.facets.part import Floats, Ints

# beyond this many nodes a hole is first cut in two
_MOST = 700


@njit(cache=True)
def _least(p, forbidden, weight, cut):
    """Fill weight and cut (n, n): least cost of each piece of the polygon, and its apex."""
    n = p.shape[0]
    for gap in range(2, n):
        for i in range(n - gap):
            k = i + gap
            best = np.inf
            at = -1
            if not (forbidden[i, k] and gap < n - 1):
                for j in range(i + 1, k):
                    before = weight[i, j] + weight[j, k]
                    if before >= best:
                        continue
                    ux = p[j, 0] - p[i, 0]
                    uy = p[j, 1] - p[i, 1]
                    uz = p[j, 2] - p[i, 2]
                    vx = p[k, 0] - p[i, 0]
                    vy = p[k, 1] - p[i, 1]
                    vz = p[k, 2] - p[i, 2]
                    nx = uy * vz - uz * vy
                    ny = uz * vx - ux * vz
                    nz = ux * vy - uy * vx
                    area = np.sqrt(nx * nx + ny * ny + nz * nz)
                    # a breath of edge length, so that equal areas give well-shaped triangles
                    total = before + area + 1e-4 * (ux * ux + uy * uy + uz * uz)
                    total += 1e-4 * (vx * vx + vy * vy + vz * vz)
                    if area == 0.0:
                        total += 1e-2 * (vx * vx + vy * vy + vz * vz)
                    if total < best:
                        best = total
                        at = j
            weight[i, k] = best
            cut[i, k] = at


def cap_triangles(points: Floats, loop: NDArray[np.int64], linked: NDArray[np.bool_]) -> Ints:
    """Triangles (n - 2, 3) that close a loop of nodes, least in area, turned as the loop runs.

    linked (n, n): nodes of the loop that an edge joins already; no triangle uses such an edge
    across the hole. An empty array if there is no such triangulation.
    """
    n = len(loop)
    if n > _MOST:
        half = n // 2
        one, two = loop[: half + 1], np.append(loop[half:], loop[0])
        a = cap_triangles(points, one, linked[: half + 1, : half + 1])
        pick = np.append(np.arange(half, n), 0)
        b = cap_triangles(points, two, linked[np.ix_(pick, pick)])
        return np.concatenate([a, b]) if len(a) and len(b) else np.zeros((0, 3), np.int32)
    weight = np.zeros((n, n))
    cut = np.full((n, n), -1, np.int64)
    corner = points[loop]
    size = np.ptp(corner, axis=0).max()
    _least(
        np.ascontiguousarray((corner - corner.mean(axis=0)) / (size if size > 0 else 1.0)),
        linked,
        weight,
        cut,
    )
    out = []
    stack = [(0, n - 1)]
    while stack:
        i, k = stack.pop()
        if k - i < 2:
            continue
        j = cut[i, k]
        if j < 0:
            return np.zeros((0, 3), np.int32)
        out.append((loop[i], loop[j], loop[k]))
        stack += [(i, j), (j, k)]
    return np.array(out, np.int32).reshape(-1, 3)


def refined_cap(points: Floats, triangles: Ints, edge: float) -> tuple[Floats, Ints]:
    """The cap with inner points so that its edges are about `edge` long; its rim stays."""
    rim = _rim(triangles)
    pts = points.tolist()
    tri = [tuple(t) for t in triangles.tolist()]
    for _ in range(12):
        made = []
        split = False
        for a, b, c in tri:
            p = np.array([pts[a], pts[b], pts[c]])
            longest = np.linalg.norm(p - np.roll(p, 1, axis=0), axis=1).max()
            if longest > 1.5 * edge:
                pts.append(p.mean(axis=0).tolist())
                m = len(pts) - 1
                made += [(a, b, m), (b, c, m), (c, a, m)]
                split = True
            else:
                made.append((a, b, c))
        tri = flipped(pts, made, rim)
        if not split or len(tri) > 60_000:
            break
    return np.array(pts), np.array(tri, np.int32)


def _rim(triangles: Ints) -> set[tuple[int, int]]:
    pairs = np.sort(
        np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1
    )
    edges, count = np.unique(pairs, axis=0, return_counts=True)
    return {(int(a), int(b)) for a, b in edges[count == 1]}


def flipped(
    pts: list[list[float]], tri: list[tuple[int, int, int]], rim: set[tuple[int, int]]
) -> list[tuple[int, int, int]]:
    """Inner edges flipped while the sum of the angles facing them is over half a turn; rim: the
    edges, low node first, that stay."""
    tri = list(tri)
    at: dict[tuple[int, int], int] = {}
    for t, (a, b, c) in enumerate(tri):
        at[a, b] = at[b, c] = at[c, a] = t
    queue = [e for e in at if e[0] < e[1]]
    for _ in range(20 * len(tri)):
        if not queue:
            break
        a, b = queue.pop()
        if (min(a, b), max(a, b)) in rim or (a, b) not in at or (b, a) not in at:
            continue
        t, u = at[a, b], at[b, a]
        c = next(v for v in tri[t] if v not in (a, b))
        d = next(v for v in tri[u] if v not in (a, b))
        if (c, d) in at or (d, c) in at:
            continue
        if _angle(pts, c, a, b) + _angle(pts, d, a, b) <= np.pi + 1e-9:
            continue
        for e in ((a, b), (b, a)):
            del at[e]
        tri[t], tri[u] = (c, a, d), (d, b, c)
        for s in (t, u):
            x, y, z = tri[s]
            at[x, y] = at[y, z] = at[z, x] = s
        queue += [(a, d), (d, b), (b, c), (c, a)]
    return tri


def _angle(pts: list[list[float]], at: int, a: int, b: int) -> float:
    u = np.subtract(pts[a], pts[at])
    v = np.subtract(pts[b], pts[at])
    return float(np.arctan2(np.linalg.norm(np.cross(u, v)), u @ v))


def faired(points: Floats, triangles: Ints, free: NDArray[np.bool_]) -> Floats:
    """Positions where the free nodes (n,) satisfy the bi-Laplace equation, so that the surface
    runs on tangent from those around, which stay."""
    pairs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    pairs = np.unique(np.sort(pairs, axis=1), axis=0)
    n = len(points)
    length = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    weight = 1.0 / np.maximum(length, 1e-12 * length.max())
    rows = np.concatenate([pairs[:, 0], pairs[:, 1]])
    columns = np.concatenate([pairs[:, 1], pairs[:, 0]])
    graph = coo_array((np.concatenate([weight, weight]), (rows, columns)), shape=(n, n)).tocsr()
    total = np.asarray(graph.sum(axis=1)).ravel()
    laplace = diags_array(1.0 / np.maximum(total, 1e-300)) @ graph - diags_array(np.ones(n))
    twice = (laplace @ laplace).tocsc()
    inner = np.flatnonzero(free)
    if not len(inner):
        return points
    fixed = np.flatnonzero(~free)
    rows_inner = twice.tocsr()[inner]
    right = -rows_inner[:, fixed] @ points[fixed]
    solved = spsolve(rows_inner[:, inner].tocsc(), right)
    out = points.copy()
    out[inner] = np.asarray(solved).reshape(-1, 3)
    return out if np.isfinite(out).all() else points
