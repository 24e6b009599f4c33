"""The pass of remeshing that moves nodes: along their curve, or over their face."""

import numpy as np
from numba import njit

from intaglio.numeric.boxtree import nearest
from intaglio.numeric.chunks import in_blocks
from intaglio.numeric.inlining import inlined
from intaglio.remeshing.reference import Reference, arc_of, on_curve
from intaglio.remeshing.surface import (
    CORNER,
    LAST_SMOOTH,
    MAX_STAR,
    ON_CURVE,
    POINTS,
    Surface,
    begin,
    fan,
    star,
    touch,
)
from intaglio.sizing.octree import size_at
from intaglio.triangles.compiled import FACING, normal_of, shape, turned_away

# a move may cost the worst triangle this share of its shape, or leave it at least so good
_LOSS = 0.9
_GOOD = 0.7
# cosine of the angle by which a triangle may turn in a move (60°)
_TURN = 0.5
_NO_FACET = -1
# nodes are smoothed in so many blocks
_BLOCKS = 8
# a node that moves by less than this share of the size does not stir its neighbours
_STILL = 0.01


@inlined
def _place_on_curve(s, ref, v, rows, n, out):
    """(found, arc): between v's two neighbours on its curve, by the lengths wanted there."""
    tri, size = s.tri, s.size
    c = s.owner[v]
    below = False
    above = False
    low = 0.0
    high = 0.0
    low_size = 0.0
    high_size = 0.0
    for k in range(n):
        t = rows[k]
        for e in range(3):
            if tri[t, e] == v or s.curve[t, e] != c:
                continue
            w = tri[t, (e + 1) % 3]
            if w == v:
                w = tri[t, (e + 2) % 3]
            at = arc_of(s, ref, c, w, v)
            if at < s.arc[v]:
                low = at
                low_size = size[w]
                below = True
            else:
                high = at
                high_size = size[w]
                above = True
    if not (below and above):
        return False, 0.0
    left = low_size + size[v]
    right = high_size + size[v]
    arc = low + (high - low) * left / (left + right)
    on_curve(ref.start, ref.line, ref.arc, c, arc, out)
    return True, arc


@inlined
def _centre_of_star(p, tri, size, rows, n, aim):
    """Mean of the triangles' centres into aim, each weighed by its area in the size field.

    (whether there is any area, mx, my, mz): m the sum of the triangles' normals.
    """
    total = 0.0
    aim[:] = 0.0
    mx = 0.0
    my = 0.0
    mz = 0.0
    for k in range(n):
        a, b, c = tri[rows[k], 0], tri[rows[k], 1], tri[rows[k], 2]
        nx, ny, nz = normal_of(p, a, b, c)
        mx += nx
        my += ny
        mz += nz
        h = (size[a] + size[b] + size[c]) / 3
        w = np.sqrt(nx * nx + ny * ny + nz * nz) / (h * h)
        total += w
        for i in range(3):
            aim[i] += w * (p[a, i] + p[b, i] + p[c, i]) / 3.0
    if total > 0.0:
        for i in range(3):
            aim[i] /= total
    return total > 0.0, mx, my, mz


@inlined
def _along_surface(p, v, aim, mx, my, mz, out):
    """The part of the way from v to aim that is square to m, into out; False if m is zero.

    A later pass puts the node back onto the facets.
    """
    square = mx * mx + my * my + mz * mz
    if square == 0.0:
        return False
    off = (aim[0] - p[v, 0]) * mx + (aim[1] - p[v, 1]) * my + (aim[2] - p[v, 2]) * mz
    off /= square
    out[0] = aim[0] - off * mx
    out[1] = aim[1] - off * my
    out[2] = aim[2] - off * mz
    return True


@inlined
def _still_sound(p, tri, facing, rows, n, normals, was):
    """Whether each triangle is as good as before, or good, and looks the way it did."""
    for k in range(n):
        a, b, c = tri[rows[k], 0], tri[rows[k], 1], tri[rows[k], 2]
        q = shape(p, a, b, c)
        if q < _LOSS * was and q < _GOOD:
            return False
        nx, ny, nz = normal_of(p, a, b, c)
        old = np.sqrt(normals[k, 0] ** 2 + normals[k, 1] ** 2 + normals[k, 2] ** 2)
        new = np.sqrt(nx * nx + ny * ny + nz * nz)
        dot = nx * normals[k, 0] + ny * normals[k, 1] + nz * normals[k, 2]
        if new == 0.0 or (old > 0.0 and dot < _TURN * old * new):
            return False
        if turned_away(facing, a, b, c, nx, ny, nz, new, FACING):
            return False
    return True


@inlined
def _try_move(s, v, spot, rows, n, normals):
    """Move v if no triangle turns over and the worst one stays good or gets better."""
    p, tri = s.points, s.tri
    was = 2.0
    for k in range(n):
        a, b, c = tri[rows[k], 0], tri[rows[k], 1], tri[rows[k], 2]
        nx, ny, nz = normal_of(p, a, b, c)
        normals[k, 0] = nx
        normals[k, 1] = ny
        normals[k, 2] = nz
        was = min(was, shape(p, a, b, c))
    ox = p[v, 0]
    oy = p[v, 1]
    oz = p[v, 2]
    p[v, 0] = spot[0]
    p[v, 1] = spot[1]
    p[v, 2] = spot[2]
    if _still_sound(p, tri, s.normal, rows, n, normals, was):
        return True
    p[v, 0] = ox
    p[v, 1] = oy
    p[v, 2] = oz
    return False


@inlined
def _smooth(s, ref, v, rows, n, project, spot, aim, normals):
    """Move one node with the triangles rows[:n]; whether it moved."""
    arc = 0.0
    facet = _NO_FACET
    if s.kind[v] == ON_CURVE:
        found, arc = _place_on_curve(s, ref, v, rows, n, spot)
        if not found:
            return False
    else:
        found, mx, my, mz = _centre_of_star(s.points, s.tri, s.size, rows, n, aim)
        if not found:
            return False
        if ref.flat[s.owner[v]]:
            for i in range(3):
                spot[i] = aim[i]
        elif project:
            facet = nearest(ref.tree, s.owner[v], aim, spot)
            if facet < 0:
                return False
        elif not _along_surface(s.points, v, aim, mx, my, mz, spot):
            return False
    way = 0.0
    for i in range(3):
        way += (spot[i] - s.points[v, i]) ** 2
    if not _try_move(s, v, spot, rows, n, normals):
        return False
    if way > (_STILL * s.size[v]) ** 2:
        for k in range(n):
            touch(s, rows[k])
    if facet != _NO_FACET:
        for i in range(3):
            s.normal[v, i] = ref.facing[facet, i]
    s.arc[v] = arc
    s.size[v] = size_at(ref.field, spot[0], spot[1], spot[2])
    return True


@njit(cache=True, nogil=True)
def _smooth_within(s, ref, project, since, late, start, end):
    """Smooth the nodes on faces of start..end whose neighbours are of start..end as well; mark the
    others late."""
    rows = np.empty(MAX_STAR, np.int32)
    normals = np.empty((MAX_STAR, 3))
    spot = np.empty(3)
    aim = np.empty(3)
    for v in range(start, end):
        late[v] = False
        kind = s.kind[v]
        if s.at[v] < 0 or s.stirred[v] < since or kind == CORNER:
            continue
        if kind == ON_CURVE:
            late[v] = not ref.held[s.owner[v]]
            continue
        n = fan(s.tri, s.nbr, s.at, v, rows)
        within = n > 0
        for k in range(n):
            for i in range(3):
                within = within and start <= s.tri[rows[k], i] < end
        if within:
            _smooth(s, ref, v, rows, n, project, spot, aim, normals)
        else:
            late[v] = True


@njit(cache=True)
def _smooth_late(s, ref, project, late):
    """Smooth the nodes that are marked late."""
    rows = np.empty(MAX_STAR, np.int32)
    normals = np.empty((MAX_STAR, 3))
    spot = np.empty(3)
    aim = np.empty(3)
    for v in range(late.size):
        if late[v]:
            n = star(s.tri, s.nbr, s.seen, s.at, s.tally, v, rows)
            if n > 0:
                _smooth(s, ref, v, rows, n, project, spot, aim, normals)


def smooth_pass(s: Surface, ref: Reference, project: bool) -> None:
    """Move nodes towards equal triangles in the size field; project: also onto the facets.

    Blocks of nodes, apart from those at their borders, are worked on at once; which blocks depends
    on the mesh alone, and so does the result.
    """
    n = int(s.tally[POINTS])
    since = begin(s, LAST_SMOOTH)
    late = np.empty(n, np.bool_)
    in_blocks(
        lambda start, end: _smooth_within(s, ref, project, since, late, start, end),
        [n * k // _BLOCKS for k in range(_BLOCKS + 1)],
    )
    _smooth_late(s, ref, project, late)
