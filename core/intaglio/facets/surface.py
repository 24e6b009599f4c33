"""The triangle structure that remeshing works on, and its elementary changes.

Edge e of triangle t lies opposite its node e and runs from tri[t, e+1] to tri[t, e+2] (mod 3).
nbr[t, e] = 3 * t2 + e2 names the same edge in the triangle beyond. The surface is a closed
2-manifold: every edge has two triangles, passed in opposite directions.
"""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.facets import Curves, Facets, open_edges

CORNER = 0
ON_CURVE = 1
ON_FACE = 2

MAX_RING = 256

# slots of Surface.tally
TRIANGLES = 0
POINTS = 1


class Surface(NamedTuple):
    """Arrays with room to grow; rows of tri with tri[t, 0] < 0 are gone."""

    points: NDArray[np.float64]
    kind: NDArray[np.int8]  # CORNER, ON_CURVE or ON_FACE
    owner: NDArray[np.int32]  # curve or region that holds the node
    arc: NDArray[np.float64]  # arc length on its curve
    size: NDArray[np.float64]  # wanted edge length
    at: NDArray[np.int32]  # a triangle at the node, -1 for a node that is gone
    tri: NDArray[np.int32]
    nbr: NDArray[np.int32]
    region: NDArray[np.int32]
    curve: NDArray[np.int32]  # (m, 3) curve number of each edge, or -1
    tally: NDArray[np.int64]


def neighbours(triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """nbr (m, 3) of a closed, consistently oriented surface."""
    m = len(triangles)
    start = triangles[:, [1, 2, 0]].ravel().astype(np.int64)
    end = triangles[:, [2, 0, 1]].ravel().astype(np.int64)
    n = int(triangles.max()) + 1
    forward = start * n + end
    order = np.argsort(forward)
    position = np.searchsorted(forward[order], end * n + start)
    return order[np.minimum(position, 3 * m - 1)].reshape(m, 3).astype(np.int32)


def make_surface(facets: Facets, curves: Curves, capacity: int) -> Surface:
    """Surface for remeshing closed facets. Raises StepFailed with the places if they are open."""
    points, triangles = facets.points, facets.triangles
    gaps = open_edges(triangles)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The surface has {len(gaps)} free or doubled edges, so it encloses no fluid. "
            "Close the gaps in the CAD model.",
            points[gaps].mean(axis=1)[:20].tolist(),
        )
    n, m = len(points), len(triangles)
    capacity = max(capacity, 2 * m)
    kind = np.full(capacity, ON_FACE, np.int8)
    owner = np.zeros(capacity, np.int32)
    owner[triangles.ravel()] = np.repeat(facets.region, 3)
    arc = np.zeros(capacity)
    nodes = curves.edge_nodes.ravel()
    kind[nodes] = ON_CURVE
    owner[nodes] = np.repeat(curves.edge_curve, 2)
    arc[nodes] = curves.edge_arc.ravel()
    kind[curves.ends.ravel()] = CORNER
    kind[_pointed(facets)] = CORNER
    edge_curve = np.full((capacity * 2, 3), -1, np.int32)
    key = {
        (min(a, b), max(a, b)): c
        for (a, b), c in zip(curves.edge_nodes.tolist(), curves.edge_curve.tolist(), strict=True)
    }
    for t, e in zip(
        *np.nonzero(facets.region[neighbours(triangles) // 3] != facets.region[:, None]),
        strict=True,
    ):
        a, b = int(triangles[t, (e + 1) % 3]), int(triangles[t, (e + 2) % 3])
        edge_curve[t, e] = key.get((min(a, b), max(a, b)), -1)
    held = np.zeros((capacity, 3))
    held[:n] = points
    tri = np.full((capacity * 2, 3), -1, np.int32)
    tri[:m] = triangles
    nbr = np.full((capacity * 2, 3), -1, np.int32)
    nbr[:m] = neighbours(triangles)
    region = np.zeros(capacity * 2, np.int32)
    region[:m] = facets.region
    at = np.full(capacity, -1, np.int32)
    at[triangles.ravel()] = np.repeat(np.arange(m, dtype=np.int32), 3)
    count = np.array([m, n], np.int64)
    return Surface(
        held, kind, owner, arc, np.zeros(capacity), at, tri, nbr, region, edge_curve, count
    )


def _pointed(facets: Facets) -> NDArray[np.int64]:
    """Nodes inside one region whose triangles turn by more than 60°: the tip of a cone."""
    from intaglio.facets.facets import triangle_normals

    normal = triangle_normals(facets.points, facets.triangles)
    total = np.zeros((len(facets.points), 3))
    used = np.zeros(len(facets.points))
    for i in range(3):
        np.add.at(total, facets.triangles[:, i], normal)
        np.add.at(used, facets.triangles[:, i], 1.0)
    mean = total / np.maximum(used, 1)[:, None]
    length = np.linalg.norm(mean, axis=1)
    return np.flatnonzero((used > 0) & (length < 0.85) & (facets.curvature > 0) & _interior(facets))


def _interior(facets: Facets) -> NDArray[np.bool_]:
    low = np.full(len(facets.points), np.iinfo(np.int32).max)
    high = np.full(len(facets.points), -1)
    for i in range(3):
        np.minimum.at(low, facets.triangles[:, i], facets.region)
        np.maximum.at(high, facets.triangles[:, i], facets.region)
    return low == high


@njit(cache=True, inline="always")
def corner_of(s, t, v):
    if s.tri[t, 0] == v:
        return 0
    if s.tri[t, 1] == v:
        return 1
    return 2


@njit(cache=True, inline="always")
def join(s, t, e, other):
    s.nbr[t, e] = other
    if other >= 0:
        s.nbr[other // 3, other % 3] = 3 * t + e


@njit(cache=True)
def ring(s, v, out):
    """Triangles around node v, in order, into out; their number, or -1 if they are too many."""
    first = s.at[v]
    t = first
    n = 0
    while True:
        if n >= out.size:
            return -1
        out[n] = t
        n += 1
        i = corner_of(s, t, v)
        t = s.nbr[t, (i + 1) % 3] // 3
        if t == first:
            return n


@njit(cache=True)
def split(s, t, e, x, y, z, kind, owner, arc, size):
    """A new node on edge e of t; two triangles become four. Returns the node."""
    v = s.tally[1]
    s.tally[1] += 1
    s.points[v, 0] = x
    s.points[v, 1] = y
    s.points[v, 2] = z
    s.kind[v] = kind
    s.owner[v] = owner
    s.arc[v] = arc
    s.size[v] = size
    other = s.nbr[t, e]
    u = other // 3
    f = other % 3
    new_t = s.tally[0]
    new_u = s.tally[0] + 1
    s.tally[0] += 2
    a = s.tri[t, e]
    b = s.tri[t, (e + 1) % 3]
    c = s.tri[t, (e + 2) % 3]
    d = s.tri[u, f]
    curve = s.curve[t, e]
    side_b = s.nbr[t, (e + 1) % 3]  # edge c-a, opposite b
    side_c = s.nbr[t, (e + 2) % 3]  # edge a-b
    curve_b = s.curve[t, (e + 1) % 3]
    curve_c = s.curve[t, (e + 2) % 3]
    # in u the edge runs from c to b
    far_c = s.nbr[u, (f + 1) % 3]  # opposite c: edge b-d
    far_b = s.nbr[u, (f + 2) % 3]  # opposite b: edge d-c
    far_curve_c = s.curve[u, (f + 1) % 3]
    far_curve_b = s.curve[u, (f + 2) % 3]
    s.region[new_t] = s.region[t]
    s.region[new_u] = s.region[u]
    _set(s, t, a, b, v, curve, -1, curve_c)
    _set(s, new_t, a, v, c, curve, curve_b, -1)
    _set(s, u, d, c, v, curve, -1, far_curve_b)
    _set(s, new_u, d, v, b, curve, far_curve_c, -1)
    join(s, t, 2, side_c)
    join(s, new_t, 1, side_b)
    join(s, u, 2, far_b)
    join(s, new_u, 1, far_c)
    join(s, t, 1, 3 * new_t + 2)
    join(s, u, 1, 3 * new_u + 2)
    join(s, t, 0, 3 * new_u)
    join(s, new_t, 0, 3 * u)
    s.at[v] = t
    s.at[a] = t
    s.at[b] = t
    s.at[c] = new_t
    s.at[d] = u
    return v


@njit(cache=True, inline="always")
def _set(s, t, a, b, c, ca, cb, cc):
    s.tri[t, 0] = a
    s.tri[t, 1] = b
    s.tri[t, 2] = c
    s.curve[t, 0] = ca
    s.curve[t, 1] = cb
    s.curve[t, 2] = cc


@njit(cache=True)
def linked(s, a, b, scratch):
    """Whether nodes a and b share an edge; True also when a has too many triangles."""
    n = ring(s, a, scratch)
    if n < 0:
        return True
    for k in range(n):
        t = scratch[k]
        if s.tri[t, 0] == b or s.tri[t, 1] == b or s.tri[t, 2] == b:
            return True
    return False


@njit(cache=True)
def flip(s, t, e):
    """Turn edge e of t to join the two opposite nodes."""
    other = s.nbr[t, e]
    u = other // 3
    f = other % 3
    a = s.tri[t, e]
    b = s.tri[t, (e + 1) % 3]
    c = s.tri[t, (e + 2) % 3]
    d = s.tri[u, f]
    side_b = s.nbr[t, (e + 1) % 3]
    side_c = s.nbr[t, (e + 2) % 3]
    curve_b = s.curve[t, (e + 1) % 3]
    curve_c = s.curve[t, (e + 2) % 3]
    far_c = s.nbr[u, (f + 1) % 3]
    far_b = s.nbr[u, (f + 2) % 3]
    far_curve_c = s.curve[u, (f + 1) % 3]
    far_curve_b = s.curve[u, (f + 2) % 3]
    # t becomes a, b, d and u becomes a, d, c
    _set(s, t, a, b, d, far_curve_c, -1, curve_c)
    _set(s, u, a, d, c, far_curve_b, curve_b, -1)
    join(s, t, 0, far_c)
    join(s, t, 2, side_c)
    join(s, u, 0, far_b)
    join(s, u, 1, side_b)
    join(s, t, 1, 3 * u + 2)
    s.at[a] = t
    s.at[b] = t
    s.at[d] = t
    s.at[c] = u


@njit(cache=True)
def collapse(s, t, e, gone, kept, ring_gone, n):
    """Pull node `gone` into `kept` along edge e of t; ring_gone[:n] are gone's triangles."""
    u = s.nbr[t, e] // 3
    for k in range(n):
        r = ring_gone[k]
        if r != t and r != u:
            s.tri[r, corner_of(s, r, gone)] = kept
    for half in (t, u):
        i = corner_of(s, half, gone)
        j = corner_of(s, half, kept)
        third = 3 - i - j
        apex = s.tri[half, third]
        one = s.nbr[half, i]  # edge kept-apex
        two = s.nbr[half, j]  # edge gone-apex
        curve = max(s.curve[half, i], s.curve[half, j])
        s.nbr[one // 3, one % 3] = two
        s.nbr[two // 3, two % 3] = one
        s.curve[one // 3, one % 3] = curve
        s.curve[two // 3, two % 3] = curve
        s.at[apex] = one // 3
        s.at[kept] = one // 3
    s.tri[t, 0] = -1
    s.tri[u, 0] = -1
    s.at[gone] = -1
