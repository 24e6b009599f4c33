"""The passes of remeshing that take nodes away: short edges, and triangles that stayed thin."""

import numpy as np
from numba import njit

from intaglio.numeric.inlining import inlined
from intaglio.remeshing.surface import (
    CORNER,
    LAST_COLLAPSE,
    MAX_STAR,
    ON_CURVE,
    ON_FACE,
    STAMP,
    TRIANGLES,
    Pull,
    begin,
    collapse,
    star,
)
from intaglio.triangles.compiled import (
    FACING,
    leans,
    length_in_field,
    normal_of,
    shape,
    square_length,
    turned_away,
)

# a collapse may leave no triangle worse than this that was better before
_SHAPELY = 0.3
# cosine of the angle by which a triangle may turn in a collapse (45°)
TURN = 0.7
# ... and by which, while the facets are far finer than the sizes asked for, it may turn and lean
# away from the facets at its nodes: what is bent stays as it is (14°)
_HARDLY = 0.97
# triangles under this shape are thin: their shortest edge goes at the end
_THIN = 0.5
# an edge that mending makes may be so long in the field
_MENDED = 1.6


@inlined
def _features_allow(s, pull, held):
    """Whether the node that goes is free to: no corner, and on a curve only along it."""
    if s.kind[pull.gone] == CORNER:
        return False
    c = s.curve[pull.t, pull.e]
    return s.kind[pull.gone] != ON_CURVE or (c >= 0 and s.owner[pull.gone] == c and not held[c])


@inlined
def _stays_a_surface(s, pull, rows, n, other, m):
    """Whether the nodes that both ends are joined to are just those across the edge's triangles.

    The link condition: T. K. Dey, H. Edelsbrunner, S. Guha, D. V. Nekhayev, "Topology preserving
    edge contraction" (1999).
    """
    tri, nbr, near = s.tri, s.nbr, s.near
    s.tally[STAMP] += 2
    counted = s.tally[STAMP]
    beside_kept = counted - 1
    for k in range(m):
        for i in range(3):
            near[tri[other[k], i]] = beside_kept
    near[pull.gone] = 0
    near[pull.kept] = 0
    common = 0
    ring = 0
    for k in range(n):
        for i in range(3):
            u = tri[rows[k], i]
            if u == pull.gone or near[u] == counted:
                continue
            ring += 1
            if near[u] == beside_kept:
                common += 1
            near[u] = counted
    apexes = 1
    edge = 4 * pull.t + pull.e
    code = nbr[pull.t, pull.e]
    while code != edge:
        apexes += 1
        code = nbr[code >> 2, code & 3]
    return common == apexes and ring >= 3 and m >= 3


@inlined
def _shapes_allow(s, pull, rows, n, long, shapely, turn, facing):
    """Whether no triangle that stays turns over, grows too long, or gets too thin."""
    p, tri, size, curves = s.points, s.tri, s.size, s.curve
    gone = pull.gone
    kept = pull.kept
    before = 1.0
    after = 1.0
    for k in range(n):
        r = rows[k]
        i = 0 if tri[r, 0] == gone else 1 if tri[r, 1] == gone else 2
        v = tri[r, (i + 1) % 3]
        w = tri[r, (i + 2) % 3]
        before = min(before, shape(p, gone, v, w))
        if v == kept or w == kept:
            # no two features fused: an edge from gone to the apex must not hide a curve
            j = (i + 1) % 3 if v == kept else (i + 2) % 3
            if curves[r, i] >= 0 and curves[r, j] >= 0:
                return False
            continue
        if length_in_field(p, size, kept, v) > long or length_in_field(p, size, kept, w) > long:
            return False
        after = min(after, shape(p, kept, v, w))
        ox, oy, oz = normal_of(p, gone, v, w)
        nx, ny, nz = normal_of(p, kept, v, w)
        old = np.sqrt(ox * ox + oy * oy + oz * oz)
        new = np.sqrt(nx * nx + ny * ny + nz * nz)
        if new == 0.0:
            return False
        if old > 0.0 and ox * nx + oy * ny + oz * nz < turn * old * new:
            return False
        if turned_away(s.normal, kept, v, w, nx, ny, nz, new, facing):
            return False
        # what only bends may stand as it comes: else needles at creases could not go
        if facing > FACING and leans(s.normal, gone, nx, ny, nz, facing * new):
            return False
    return after > shapely or after >= before


@njit(cache=True)
def may_collapse(s, pull, rows, n, other, held, long, shapely, turn, facing):
    """Whether a pull keeps topology, features, orientation and lengths under `long` in the field,
    and leaves no triangle of a shape below `shapely` that was better before.

    turn: least cosine between a triangle before and after; facing: between it and the facets.

    rows[:n] are the triangles of the node that goes, other (MAX_STAR,) is scratch.
    """
    if not _features_allow(s, pull, held):
        return False
    m = star(s.tri, s.nbr, s.seen, s.at, s.tally, pull.kept, other)
    if m < 0 or not _stays_a_surface(s, pull, rows, n, other, m):
        return False
    return _shapes_allow(s, pull, rows, n, long, shapely, turn, facing)


@njit(cache=True)
def _collapse_either(s, t, e, rows, other, held, long):
    """Pull one end of edge e of t into the other, where one of them may go."""
    a = s.tri[t, (e + 1) % 3]
    b = s.tri[t, (e + 2) % 3]
    for turn in range(2):
        pull = Pull(t, e, a, b) if turn == 0 else Pull(t, e, b, a)
        n = star(s.tri, s.nbr, s.seen, s.at, s.tally, pull.gone, rows)
        if n > 0 and may_collapse(s, pull, rows, n, other, held, long, _SHAPELY, TURN, FACING):
            collapse(s, pull, rows, n)
            return True
    return False


@njit(cache=True)
def collapse_pass(s, held, limit, long):
    """Pull together edges shorter than `limit` in the field, if none gets longer than `long`."""
    tri = s.tri
    rows = np.empty(MAX_STAR, np.int32)
    other = np.empty(MAX_STAR, np.int32)
    made = 0
    since = begin(s, LAST_COLLAPSE)
    for t in range(s.tally[TRIANGLES]):
        for e in range(3):
            if tri[t, 0] < 0:
                break
            # a neighbour's change may allow what was not allowed before
            if s.stirred[tri[t, (e + 1) % 3]] < since and s.stirred[tri[t, (e + 2) % 3]] < since:
                continue
            a = tri[t, (e + 1) % 3]
            b = tri[t, (e + 2) % 3]
            if length_in_field(s.points, s.size, a, b) >= limit:
                continue
            if _collapse_either(s, t, e, rows, other, held, long):
                made += 1
    return made


@njit(cache=True)
def thin_out_pass(s, held, limit, long):
    """Pull nodes on faces along edges shorter than `limit` in the field where that bends nothing.

    Nodes on curves stay. How many went.
    """
    tri = s.tri
    rows = np.empty(MAX_STAR, np.int32)
    other = np.empty(MAX_STAR, np.int32)
    made = 0
    for t in range(s.tally[TRIANGLES]):
        for k in range(6):
            if tri[t, 0] < 0:
                break
            e = k // 2
            a = tri[t, (e + 1) % 3]
            b = tri[t, (e + 2) % 3]
            gone = a if k % 2 == 0 else b
            if s.kind[gone] != ON_FACE or length_in_field(s.points, s.size, a, b) >= limit:
                continue
            pull = Pull(t, e, gone, b if k % 2 == 0 else a)
            n = star(s.tri, s.nbr, s.seen, s.at, s.tally, gone, rows)
            if n > 0 and may_collapse(
                s, pull, rows, n, other, held, long, _SHAPELY, _HARDLY, _HARDLY
            ):
                collapse(s, pull, rows, n)
                made += 1
    return made


@inlined
def _shortest_edge(p, tri, t):
    e = 0
    least = square_length(p, tri[t, 1], tri[t, 2])
    for i in range(1, 3):
        own = square_length(p, tri[t, (i + 1) % 3], tri[t, (i + 2) % 3])
        if own < least:
            e = i
            least = own
    return e


@njit(cache=True)
def mend_pass(s, held):
    """Collapse the shortest edge of triangles that stayed thin."""
    p, tri = s.points, s.tri
    rows = np.empty(MAX_STAR, np.int32)
    other = np.empty(MAX_STAR, np.int32)
    for t in range(s.tally[TRIANGLES]):
        if tri[t, 0] >= 0 and shape(p, tri[t, 0], tri[t, 1], tri[t, 2]) <= _THIN:
            _collapse_either(s, t, _shortest_edge(p, tri, t), rows, other, held, _MENDED)
