"""The triangle structure that remeshing works on, and its elementary changes.

Edge e of triangle t lies opposite its node e and runs from tri[t, e+1] to tri[t, e+2] (mod 3).
nbr[t, e] = 4 * t2 + e2 names the same edge in the next triangle around it; the last names the
first. So an edge may have one triangle (a rim), two, or more, where zones meet (the radial edges
of K. Weiler, "Edge-based data structures for solid modeling", 1985, without their uses). Triangles
of one region are turned alike; those of different regions need not be.
"""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.numeric.inlining import inlined
from intaglio.triangles.closure import edge_keys
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import triangle_normals

CORNER = 0
ON_CURVE = 1
ON_FACE = 2

# triangles at one node; a node with more is left as it is
MAX_STAR = 512
# triangles at one edge
_MAX_AROUND = 16

# slots of Surface.tally
TRIANGLES = 0
POINTS = 1
STAMP = 2
# passes are counted; then the number of the last pass of each kind
PASSES = 3
LAST_SPLIT = 4
LAST_COLLAPSE = 5
LAST_FLIP = 6
LAST_SMOOTH = 7


class Pull(NamedTuple):
    """A collapse: node `gone` is pulled into node `kept` along edge e of triangle t."""

    t: int
    e: int
    gone: int
    kept: int


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
    seen: NDArray[np.int32]  # (m,) stamp of the last visit to a triangle
    normal: NDArray[np.float64]  # (n, 3) of the facets at a node on a face, else 0
    near: NDArray[np.int32]  # (n,) stamp of the last visit to a node
    changed: NDArray[np.int32]  # (m,) the last pass that changed a triangle or moved its nodes
    stirred: NDArray[np.int32]  # (n,) the last pass that moved a node or changed beside it
    tally: NDArray[np.int64]


def neighbours(triangles: NDArray[np.int32]) -> NDArray[np.int32]:
    """nbr (m, 3): the edges of triangles (m, 3), each chained to the next triangle around it."""
    pairs = np.sort(triangles[:, [[1, 2], [2, 0], [0, 1]]].reshape(-1, 2), axis=1).astype(np.int64)
    key = (pairs[:, 0] << 32) | pairs[:, 1]
    order = np.argsort(key, kind="stable")
    code = 4 * (order // 3) + order % 3
    first = np.flatnonzero(np.concatenate([[True], key[order][1:] != key[order][:-1]]))
    after = np.roll(code, -1)
    # the last triangle around an edge leads back to the first
    last = np.concatenate([first[1:], [len(code)]]) - 1
    after[last] = code[first]
    nbr = np.empty(3 * len(triangles), np.int32)
    nbr[order] = after
    return nbr.reshape(-1, 3)


def roomier(s: Surface) -> Surface:
    """The same surface in arrays of twice the length."""
    blank = {"kind": ON_FACE, "at": -1, "tri": -1, "nbr": -1, "curve": -1}
    out = {}
    for name, held in s._asdict().items():
        if name != "tally":
            more = np.full(held.shape, blank.get(name, 0), held.dtype)
            held = np.concatenate([held, more])
        out[name] = held
    return Surface(**out)


def make_surface(facets: Facets, curves: Curves, capacity: int) -> Surface:
    """Surface for remeshing facets, with room for `capacity` nodes.

    Every edge between regions, and every edge that has not two triangles, must be on a curve; a
    curve may also run within one region.
    Raises StepFailed with the places of those that are not: there the facets are torn.
    """
    points, triangles = facets.points, facets.triangles
    n, m = len(points), len(triangles)
    capacity = max(capacity, 2 * m)
    nbr = neighbours(triangles)
    around, edge = nbr >> 2, nbr & 3
    alone = nbr[around, edge] != 4 * np.arange(m)[:, None] + np.arange(3)
    alone |= around == np.arange(m)[:, None]
    curve = np.full((capacity * 2, 3), -1, np.int32)
    ends = triangles[:, [[1, 2], [2, 0], [0, 1]]]
    keys = edge_keys(curves.edge_nodes)
    order = np.argsort(keys, kind="stable")
    wanted = edge_keys(ends.reshape(-1, 2))
    spot = np.minimum(np.searchsorted(keys[order], wanted), max(len(keys) - 1, 0))
    found = np.full(len(wanted), -1, np.int32)
    if len(keys):
        hit = keys[order][spot] == wanted
        found[hit] = curves.edge_curve[order[spot[hit]]]
    curve[:m] = found.reshape(-1, 3)
    torn = np.sort(ends[(curve[:m] < 0) & alone], axis=1)
    if len(torn):
        raise StepFailed(
            "open-surface",
            f"The surface has {len(torn)} free or doubled edges, so it encloses no fluid. "
            "Close the gaps in the CAD model.",
            points[torn].mean(axis=1)[:20].tolist(),
        )
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
    held = np.zeros((capacity, 3))
    held[:n] = points
    tri = np.full((capacity * 2, 3), -1, np.int32)
    tri[:m] = triangles
    room = np.full((capacity * 2, 3), -1, np.int32)
    room[:m] = nbr
    region = np.zeros(capacity * 2, np.int32)
    region[:m] = facets.region
    at = np.full(capacity, -1, np.int32)
    at[triangles.ravel()] = np.repeat(np.arange(m, dtype=np.int32), 3)
    return Surface(
        held,
        kind,
        owner,
        arc,
        np.zeros(capacity),
        at,
        tri,
        room,
        region,
        curve,
        np.zeros(capacity * 2, np.int32),
        _node_normals(facets, kind, capacity),
        np.zeros(capacity, np.int32),
        np.zeros(capacity * 2, np.int32),
        np.zeros(capacity, np.int32),
        np.array([m, n, 0, 0, 0, 0, 0, 0], np.int64),
    )


def _node_normals(facets: Facets, kind: NDArray[np.int8], capacity: int) -> NDArray[np.float64]:
    out = np.zeros((capacity, 3))
    facing = triangle_normals(facets.points, facets.triangles)
    for i in range(3):
        np.add.at(out, facets.triangles[:, i], facing)
    out[kind != ON_FACE] = 0.0
    length = np.linalg.norm(out, axis=1)
    return out / np.where(length > 0, length, 1.0)[:, None]


def _pointed(facets: Facets) -> NDArray[np.int64]:
    """Nodes inside one region whose triangles turn by more than 60°: the tip of a cone."""
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


def look_everywhere(s: Surface) -> None:
    """Let the next pass of each kind look at every triangle and node again."""
    s.tally[LAST_SPLIT:] = 0


@njit(cache=True)
def begin(s, kind):
    """Count a pass of a kind. What was changed in the returned pass or later is to be looked at."""
    since = s.tally[kind]
    s.tally[PASSES] += 1
    s.tally[kind] = s.tally[PASSES]
    return since


@njit(cache=True)
def star(tri, nbr, seen, at, tally, v, out):
    """Triangles at node v into out; their number, or -1 if they are too many."""
    tally[STAMP] += 1
    stamp = tally[STAMP]
    out[0] = at[v]
    seen[at[v]] = stamp
    n = 1
    k = 0
    while k < n:
        t = out[k]
        k += 1
        for e in range(3):
            if tri[t, e] == v:
                continue
            code = nbr[t, e]
            while code >> 2 != t:
                u = code >> 2
                if seen[u] != stamp:
                    if n >= out.size:
                        return -1
                    seen[u] = stamp
                    out[n] = u
                    n += 1
                code = nbr[u, code & 3]
    return n


@njit(cache=True)
def fan(tri, nbr, at, v, out):
    """Triangles at a node inside a face, one beside the other, into out; their number, or -1 if
    they are too many. Leaves no stamps, so that several threads may ask."""
    t = at[v]
    n = 0
    while n < out.size:
        out[n] = t
        n += 1
        i = 0 if tri[t, 0] == v else 1 if tri[t, 1] == v else 2
        t = nbr[t, (i + 1) % 3] >> 2
        if t == at[v]:
            return n
    return -1


@njit(cache=True)
def before(nbr, code):
    """The edge whose next around is `code`."""
    at = code
    while nbr[at >> 2, at & 3] != code:
        at = nbr[at >> 2, at & 3]
    return at


@njit(cache=True)
def around(nbr, code, out):
    """The edges around edge `code`, itself first; their number."""
    n = 0
    at = code
    while n < out.size:
        out[n] = at
        n += 1
        at = nbr[at >> 2, at & 3]
        if at == code:
            break
    return n


@njit(cache=True)
def _rename(nbr, old, new):
    """Edge `old` is called `new` from now on; old's slot is free."""
    last = before(nbr, old)
    after = nbr[old >> 2, old & 3]
    if after == old:
        nbr[new >> 2, new & 3] = new
        return
    nbr[last >> 2, last & 3] = new
    nbr[new >> 2, new & 3] = after


@njit(cache=True)
def _ring(nbr, codes, n):
    """Chain n edges around each other."""
    for k in range(n):
        code = codes[k]
        nbr[code >> 2, code & 3] = codes[(k + 1) % n]


@inlined
def touch(s, t):
    """Triangle t is not what it was."""
    now = s.tally[PASSES]
    s.changed[t] = now
    for i in range(3):
        s.stirred[s.tri[t, i]] = now


@njit(cache=True)
def split(s, t, e, x, y, z, kind, owner, arc, size):
    """A new node on edge e of t: every triangle there becomes two. Returns the node."""
    tri = s.tri
    nbr = s.nbr
    curve = s.curve
    v = s.tally[POINTS]
    s.tally[POINTS] += 1
    s.points[v, 0] = x
    s.points[v, 1] = y
    s.points[v, 2] = z
    s.kind[v] = kind
    s.owner[v] = owner
    s.arc[v] = arc
    s.size[v] = size
    s.normal[v, 0] = 0.0
    s.normal[v, 1] = 0.0
    s.normal[v, 2] = 0.0
    end = tri[t, (e + 1) % 3]
    codes = np.empty(_MAX_AROUND, np.int32)
    n = around(nbr, np.int32(4 * t + e), codes)
    one = np.empty(_MAX_AROUND, np.int32)
    two = np.empty(_MAX_AROUND, np.int32)
    for k in range(n):
        u = codes[k] >> 2
        f = codes[k] & 3
        g = (f + 1) % 3
        h = (f + 2) % 3
        new = np.int32(s.tally[TRIANGLES])
        s.tally[TRIANGLES] += 1
        s.region[new] = s.region[u]
        d = tri[u, f]
        b = tri[u, g]
        c = tri[u, h]
        # u keeps d and b, the new triangle takes d and c
        tri[new, f] = d
        tri[new, g] = v
        tri[new, h] = c
        tri[u, h] = v
        curve[new, f] = curve[u, f]
        curve[new, g] = curve[u, g]
        curve[new, h] = -1
        _rename(nbr, 4 * u + g, 4 * new + g)
        curve[u, g] = -1
        nbr[u, g] = 4 * new + h
        nbr[new, h] = 4 * u + g
        one[k] = 4 * u + f if b == end else 4 * new + f
        two[k] = 4 * new + f if b == end else 4 * u + f
        s.at[b] = u
        s.at[c] = new
        s.at[d] = u
        s.at[v] = u
        touch(s, u)
        touch(s, new)
    _ring(nbr, one, n)
    _ring(nbr, two, n)
    return v


@njit(cache=True)
def linked(tri, nbr, seen, at, tally, a, b, scratch):
    """Whether nodes a and b share an edge; True also when a has too many triangles."""
    n = star(tri, nbr, seen, at, tally, a, scratch)
    if n < 0:
        return True
    for k in range(n):
        t = scratch[k]
        if tri[t, 0] == b or tri[t, 1] == b or tri[t, 2] == b:
            return True
    return False


@njit(cache=True)
def flip(s, t, e):
    """Turn edge e of t, which has two triangles turned alike, to join the opposite nodes."""
    tri = s.tri
    nbr = s.nbr
    curve = s.curve
    u = nbr[t, e] >> 2
    f = nbr[t, e] & 3
    e1 = (e + 1) % 3
    f1 = (f + 1) % 3
    a = tri[t, e]
    b = tri[t, e1]
    c = tri[t, (e + 2) % 3]
    d = tri[u, f]
    # t becomes a, b, d and u becomes d, c, a
    tri[t, (e + 2) % 3] = d
    tri[u, (f + 2) % 3] = a
    _rename(nbr, 4 * u + f1, 4 * t + e)
    _rename(nbr, 4 * t + e1, 4 * u + f)
    curve[t, e] = curve[u, f1]
    curve[u, f] = curve[t, e1]
    curve[t, e1] = -1
    curve[u, f1] = -1
    nbr[t, e1] = 4 * u + f1
    nbr[u, f1] = 4 * t + e1
    s.at[a] = t
    s.at[b] = t
    s.at[d] = t
    s.at[c] = u
    touch(s, t)
    touch(s, u)


@njit(cache=True)
def collapse(s, pull, rows, n):
    """Carry out a pull; rows[:n] are the triangles of the node that goes."""
    t, e, gone, kept = pull
    tri = s.tri
    nbr = s.nbr
    curve = s.curve
    codes = np.empty(_MAX_AROUND, np.int32)
    m = around(nbr, np.int32(4 * t + e), codes)
    for k in range(m):
        tri[codes[k] >> 2, 0] = -2 - tri[codes[k] >> 2, 0]
    for k in range(n):
        r = rows[k]
        if tri[r, 0] < 0:
            continue
        for i in range(3):
            if tri[r, i] == gone:
                tri[r, i] = kept
        touch(s, r)
    for k in range(m):
        u = codes[k] >> 2
        tri[u, 0] = -2 - tri[u, 0]
        f = codes[k] & 3
        i = (f + 1) % 3 if tri[u, (f + 1) % 3] == gone else (f + 2) % 3
        j = 3 - f - i
        apex = tri[u, f]
        # the edges kept-apex and gone-apex become one, without u
        x = np.int32(4 * u + i)
        y = np.int32(4 * u + j)
        line = max(curve[u, i], curve[u, j])
        after_x = nbr[u, i]
        after_y = nbr[u, j]
        last_x = before(nbr, x)
        last_y = before(nbr, y)
        left = -1
        if after_x != x and after_y != y:
            nbr[last_x >> 2, last_x & 3] = after_y
            nbr[last_y >> 2, last_y & 3] = after_x
            left = after_x
        elif after_x != x:
            nbr[last_x >> 2, last_x & 3] = after_x
            left = after_x
        elif after_y != y:
            nbr[last_y >> 2, last_y & 3] = after_y
            left = after_y
        if left >= 0:
            at = left
            while True:
                curve[at >> 2, at & 3] = line
                at = nbr[at >> 2, at & 3]
                if at == left:
                    break
            s.at[apex] = left >> 2
            s.at[kept] = left >> 2
        tri[u, 0] = -1
        tri[u, 1] = -1
    s.at[gone] = -1
