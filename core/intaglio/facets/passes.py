"""The passes of remeshing, each over the whole surface: split, collapse, flip, smooth, mend."""

import numpy as np
from numba import njit

from intaglio.facets.surface import (
    CORNER,
    MAX_STAR,
    ON_CURVE,
    ON_FACE,
    collapse,
    flip,
    linked,
    split,
    star,
)
from intaglio.numeric.boxtree import nearest
from intaglio.sizing.octree import size_at

# on curved faces edges may be this much shorter before they are split
_BENT = 0.92


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
def _length(p, size, a, b):
    """Edge length in the size field."""
    d = (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2
    return np.sqrt(d) / (0.5 * (size[a] + size[b]))


@njit(cache=True)
def _span(p, a, b):
    return (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2


@njit(cache=True)
def on_curve(start, points, arc, c, at, out):
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
def _arc_of(node_kind, node_arc, v, c, partner, length, ends):
    """Arc length of node v on curve c; a closed curve's corner takes the end near its partner."""
    if node_kind[v] == ON_CURVE:
        return node_arc[v]
    if ends[c, 0] != ends[c, 1]:
        return 0.0 if ends[c, 0] == v else length
    if node_kind[partner] == ON_CURVE:
        return 0.0 if node_arc[partner] < 0.5 * length else length
    return 0.0


@njit(cache=True)
def split_pass(
    s, limit, field, tree, flat, plane, facing, held, start, curve_points, curve_arc, ends
):
    """Halve edges longer than `limit`, of each triangle the longest. -1 when room runs out."""
    p, tri, size = s.points, s.tri, s.size
    kinds, arcs, curves, region = s.kind, s.arc, s.curve, s.region
    out = np.empty(3)
    middle = np.empty(3)
    made = 0
    for t in range(s.tally[0]):
        for e in range(3):
            if tri[t, 0] < 0:
                break
            a = tri[t, (e + 1) % 3]
            b = tri[t, (e + 2) % 3]
            # on curved faces the longest edges would stand too far off the surface
            if _length(p, size, a, b) <= (limit if flat[region[t]] else _BENT * limit):
                continue
            c = curves[t, e]
            if c >= 0 and held[c]:
                continue
            # only the longest edge of the triangle, so that angles stay moderate
            third = tri[t, e]
            own = _span(p, a, b)
            if own < _span(p, a, third) * 0.999 or own < _span(p, b, third) * 0.999:
                continue
            if s.tally[1] + 1 >= p.shape[0] or s.tally[0] + 16 >= tri.shape[0]:
                return -1
            if c >= 0:
                total = curve_arc[start[c + 1] - 1]
                x = _arc_of(kinds, arcs, a, c, b, total, ends)
                y = _arc_of(kinds, arcs, b, c, a, total, ends)
                arc = 0.5 * (x + y)
                on_curve(start, curve_points, curve_arc, c, arc, out)
                kind = ON_CURVE
                owner = c
            else:
                for i in range(3):
                    middle[i] = 0.5 * (p[a, i] + p[b, i])
                owner = region[t]
                found = -1
                if not flat[owner]:
                    found = nearest(tree, owner, middle, out)
                if found < 0:
                    out[:] = middle
                kind = ON_FACE
                arc = 0.0
            h = size_at(field, out[0], out[1], out[2])
            v = split(s, t, e, out[0], out[1], out[2], kind, owner, arc, h)
            if c < 0:
                for i in range(3):
                    s.normal[v, i] = facing[found, i] if found >= 0 else plane[owner, i]
            made += 1
    return made


@njit(cache=True)
def _turned_away(normal, a, b, c, nx, ny, nz, length):
    """Whether a triangle's normal of this length looks away from the facets at one of its nodes."""
    least = 0.2 * length
    for i in range(3):
        v = a if i == 0 else b if i == 1 else c
        dot = nx * normal[v, 0] + ny * normal[v, 1] + nz * normal[v, 2]
        if dot < least and (normal[v, 0] != 0.0 or normal[v, 1] != 0.0 or normal[v, 2] != 0.0):
            return True
    return False


@njit(cache=True)
def may_collapse(s, t, e, gone, kept, rows, n, other, long, held, shapely):
    """Whether pulling gone into kept keeps topology, features, orientation and lengths, and
    leaves no triangle of a shape below `shapely` that was better before."""
    p, tri, nbr, size, curves = s.points, s.tri, s.nbr, s.size, s.curve
    c = curves[t, e]
    if s.kind[gone] == CORNER:
        return False
    if s.kind[gone] == ON_CURVE and (c < 0 or s.owner[gone] != c or held[c]):
        return False
    m = star(tri, nbr, s.seen, s.at, s.tally, kept, other)
    if m < 0:
        return False
    # the common neighbours must be those across the edge's own triangles
    near = s.near
    s.tally[2] += 2
    stamp = s.tally[2]
    for k in range(m):
        for i in range(3):
            near[tri[other[k], i]] = stamp - 1
    near[gone] = 0
    near[kept] = 0
    common = 0
    ring = 0
    for k in range(n):
        for i in range(3):
            u = tri[rows[k], i]
            if u == gone or near[u] == stamp:
                continue
            ring += 1
            if near[u] == stamp - 1:
                common += 1
            near[u] = stamp
    apexes = 0
    code = nbr[t, e]
    apexes = 1
    while code != 4 * t + e:
        apexes += 1
        code = nbr[code >> 2, code & 3]
    if common != apexes or ring < 3 or m < 3:
        return False
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
        if _length(p, size, kept, v) > long or _length(p, size, kept, w) > long:
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
        if _turned_away(s.normal, kept, v, w, nx, ny, nz, new):
            return False
    return after > shapely or after >= before


@njit(cache=True)
def collapse_pass(s, limit, long, held):
    p, tri, size = s.points, s.tri, s.size
    rows = np.empty(MAX_STAR, np.int32)
    other = np.empty(MAX_STAR, np.int32)
    made = 0
    for t in range(s.tally[0]):
        for e in range(3):
            if tri[t, 0] < 0:
                break
            a = tri[t, (e + 1) % 3]
            b = tri[t, (e + 2) % 3]
            if _length(p, size, a, b) >= limit:
                continue
            if _collapse_either(s, t, e, a, b, rows, other, long, held):
                made += 1
    return made


@njit(cache=True)
def _collapse_either(s, t, e, a, b, rows, other, long, held):
    """Pull a into b, or b into a, where one of them may go."""
    for turn in range(2):
        gone = a if turn == 0 else b
        kept = b if turn == 0 else a
        n = star(s.tri, s.nbr, s.seen, s.at, s.tally, gone, rows)
        if n > 0 and may_collapse(s, t, e, gone, kept, rows, n, other, long, held, 0.3):
            collapse(s, t, e, gone, kept, rows, n)
            return True
    return False


@njit(cache=True)
def flip_pass(s, strict):
    """Turn edges inside a region where the worse of the two triangles gains by `strict`."""
    p, tri, nbr, curves, region = s.points, s.tri, s.nbr, s.curve, s.region
    rows = np.empty(MAX_STAR, np.int32)
    made = 0
    for t in range(s.tally[0]):
        for e in range(3):
            if tri[t, 0] < 0:
                break
            code = nbr[t, e]
            u = code >> 2
            f = code & 3
            if u <= t or curves[t, e] >= 0 or region[t] != region[u] or nbr[u, f] != 4 * t + e:
                continue
            a = tri[t, e]
            b = tri[t, (e + 1) % 3]
            c = tri[t, (e + 2) % 3]
            d = tri[u, f]
            if a == d or tri[u, (f + 1) % 3] != c:
                continue
            now = min(shape(p, a, b, c), shape(p, d, c, b))
            then = min(shape(p, a, b, d), shape(p, a, d, c))
            if then <= now * strict:
                continue
            ax, ay, az = _normal(p, a, b, c)
            bx, by, bz = _normal(p, d, c, b)
            ox = ax + bx
            oy = ay + by
            oz = az + bz
            old = np.sqrt(ox * ox + oy * oy + oz * oz)
            folds = False
            for side in range(2):
                last = b if side == 0 else c
                if side == 0:
                    nx, ny, nz = _normal(p, a, b, d)
                else:
                    nx, ny, nz = _normal(p, a, d, c)
                new = np.sqrt(nx * nx + ny * ny + nz * nz)
                turns = old > 0.0 and ox * nx + oy * ny + oz * nz < 0.6 * old * new
                if new == 0.0 or turns or _turned_away(s.normal, a, d, last, nx, ny, nz, new):
                    folds = True
            if folds or linked(tri, nbr, s.seen, s.at, s.tally, a, d, rows):
                continue
            flip(s, t, e)
            made += 1
    return made


@njit(cache=True)
def _try_move(p, tri, facing, v, x, y, z, rows, n, normals):
    """Move v if no triangle turns over and the worst one stays good or gets better."""
    was = 2.0
    for k in range(n):
        a, b, c = tri[rows[k], 0], tri[rows[k], 1], tri[rows[k], 2]
        nx, ny, nz = _normal(p, a, b, c)
        normals[k, 0] = nx
        normals[k, 1] = ny
        normals[k, 2] = nz
        was = min(was, shape(p, a, b, c))
    ox = p[v, 0]
    oy = p[v, 1]
    oz = p[v, 2]
    p[v, 0] = x
    p[v, 1] = y
    p[v, 2] = z
    good = True
    for k in range(n):
        a, b, c = tri[rows[k], 0], tri[rows[k], 1], tri[rows[k], 2]
        q = shape(p, a, b, c)
        if q < 0.9 * was and q < 0.7:
            good = False
            break
        nx, ny, nz = _normal(p, a, b, c)
        old = np.sqrt(normals[k, 0] ** 2 + normals[k, 1] ** 2 + normals[k, 2] ** 2)
        new = np.sqrt(nx * nx + ny * ny + nz * nz)
        dot = nx * normals[k, 0] + ny * normals[k, 1] + nz * normals[k, 2]
        if new == 0.0 or (old > 0.0 and dot < 0.5 * old * new):
            good = False
            break
        if _turned_away(facing, a, b, c, nx, ny, nz, new):
            good = False
            break
    if not good:
        p[v, 0] = ox
        p[v, 1] = oy
        p[v, 2] = oz
    return good


@njit(cache=True)
def smooth_pass(
    s, project, field, tree, flat, plane, facing, held, start, curve_points, curve_arc, ends
):
    """Move nodes towards equal triangles in the size field; project: also onto the facets."""
    p, tri, nbr, size = s.points, s.tri, s.nbr, s.size
    kinds, arcs, curves, owners = s.kind, s.arc, s.curve, s.owner
    rows = np.empty(MAX_STAR, np.int32)
    normals = np.empty((MAX_STAR, 3))
    out = np.empty(3)
    aim = np.empty(3)
    moved = 0
    for v in range(s.tally[1]):
        if s.at[v] < 0 or kinds[v] == CORNER or (kinds[v] == ON_CURVE and held[owners[v]]):
            continue
        n = star(tri, nbr, s.seen, s.at, s.tally, v, rows)
        if n < 0:
            continue
        arc = 0.0
        found_at = -1
        if kinds[v] == ON_CURVE:
            c = owners[v]
            total = curve_arc[start[c + 1] - 1]
            found = 0
            low = 0.0
            high = 0.0
            low_size = 0.0
            high_size = 0.0
            for k in range(n):
                t = rows[k]
                for e in range(3):
                    if tri[t, e] == v or curves[t, e] != c:
                        continue
                    w = tri[t, (e + 1) % 3]
                    if w == v:
                        w = tri[t, (e + 2) % 3]
                    at = _arc_of(kinds, arcs, w, c, v, total, ends)
                    if at < arcs[v]:
                        low = at
                        low_size = size[w]
                        found |= 1
                    else:
                        high = at
                        high_size = size[w]
                        found |= 2
            if found != 3:
                continue
            left = low_size + size[v]
            right = high_size + size[v]
            arc = low + (high - low) * left / (left + right)
            on_curve(start, curve_points, curve_arc, c, arc, out)
        else:
            total = 0.0
            aim[:] = 0.0
            mx = 0.0
            my = 0.0
            mz = 0.0
            for k in range(n):
                a, b, c = tri[rows[k], 0], tri[rows[k], 1], tri[rows[k], 2]
                nx, ny, nz = _normal(p, a, b, c)
                mx += nx
                my += ny
                mz += nz
                h = (size[a] + size[b] + size[c]) / 3
                w = np.sqrt(nx * nx + ny * ny + nz * nz) / (h * h)
                total += w
                for i in range(3):
                    aim[i] += w * (p[a, i] + p[b, i] + p[c, i]) / 3.0
            if total == 0.0:
                continue
            for i in range(3):
                aim[i] /= total
            if flat[owners[v]]:
                out[:] = aim
            elif project:
                found_at = nearest(tree, owners[v], aim, out)
                if found_at < 0:
                    continue
            else:
                # along the surface only; a later pass puts the node back onto it
                square = mx * mx + my * my + mz * mz
                if square == 0.0:
                    continue
                off = (aim[0] - p[v, 0]) * mx + (aim[1] - p[v, 1]) * my + (aim[2] - p[v, 2]) * mz
                off /= square
                out[0] = aim[0] - off * mx
                out[1] = aim[1] - off * my
                out[2] = aim[2] - off * mz
        if _try_move(p, tri, s.normal, v, out[0], out[1], out[2], rows, n, normals):
            if found_at >= 0:
                for i in range(3):
                    s.normal[v, i] = facing[found_at, i]
            arcs[v] = arc
            size[v] = size_at(field, out[0], out[1], out[2])
            moved += 1
    return moved


@njit(cache=True)
def mend_pass(s, held):
    """Collapse the shortest edge of triangles that stayed thin."""
    p, tri = s.points, s.tri
    rows = np.empty(MAX_STAR, np.int32)
    other = np.empty(MAX_STAR, np.int32)
    for t in range(s.tally[0]):
        if tri[t, 0] < 0 or shape(p, tri[t, 0], tri[t, 1], tri[t, 2]) > 0.5:
            continue
        e = 0
        for i in range(1, 3):
            if _span(p, tri[t, (i + 1) % 3], tri[t, (i + 2) % 3]) < _span(
                p, tri[t, (e + 1) % 3], tri[t, (e + 2) % 3]
            ):
                e = i
        _collapse_either(s, t, e, tri[t, (e + 1) % 3], tri[t, (e + 2) % 3], rows, other, 1.6, held)
