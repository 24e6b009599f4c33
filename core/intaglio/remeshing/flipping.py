"""The pass of remeshing that turns edges inside a region."""

import numpy as np
from numba import njit

from intaglio.numeric.inlining import inlined
from intaglio.remeshing.surface import LAST_FLIP, MAX_STAR, ON_FACE, TRIANGLES, begin, flip, linked
from intaglio.triangles.compiled import FACING, normal_of, shape, turned_away

# cosine of the angle by which the two triangles may turn against their common normal (53°)
_TURN = 0.6
# ... and, while triangles are far longer than asked for, against the facets at a node (26°)
_HARDLY = 0.9
# by how much the worse of the two triangles must gain, so that flips come to an end
_GAIN = 1.02


@inlined
def _folds(s, a, b, c, d, facing):
    """Whether triangles abd and adc would lean away from what abc and dcb look like now."""
    p = s.points
    ax, ay, az = normal_of(p, a, b, c)
    bx, by, bz = normal_of(p, d, c, b)
    ox = ax + bx
    oy = ay + by
    oz = az + bz
    old = np.sqrt(ox * ox + oy * oy + oz * oz)
    for side in range(2):
        if side == 0:
            nx, ny, nz = normal_of(p, a, b, d)
        else:
            nx, ny, nz = normal_of(p, a, d, c)
        new = np.sqrt(nx * nx + ny * ny + nz * nz)
        if new == 0.0 or (old > 0.0 and ox * nx + oy * ny + oz * nz < _TURN * old * new):
            return True
        if turned_away(s.normal, a, d, b if side == 0 else c, nx, ny, nz, new, facing):
            return True
    return False


@njit(cache=True)
def flip_pass(s):
    """Turn edges inside a region where the worse of the two triangles gains. How many."""
    return _flips(s, np.empty(0, np.bool_), FACING)


@njit(cache=True)
def flip_far_pass(s, flat):
    """The same while triangles are far longer than asked for: bent regions must not be cut across.

    flat (regions,) tells which are plane.
    """
    return _flips(s, flat, _HARDLY)


@njit(cache=True)
def _flips(s, flat, facing):
    p, tri, nbr, curves, region = s.points, s.tri, s.nbr, s.curve, s.region
    rows = np.empty(MAX_STAR, np.int32)
    made = 0
    since = begin(s, LAST_FLIP)
    for t in range(s.tally[TRIANGLES]):
        if s.changed[t] < since:
            continue
        for e in range(3):
            if tri[t, 0] < 0:
                break
            code = nbr[t, e]
            u = code >> 2
            f = code & 3
            if (
                (u <= t and s.changed[u] >= since)
                or curves[t, e] >= 0
                or region[t] != region[u]
                or nbr[u, f] != 4 * t + e
            ):
                continue
            a = tri[t, e]
            b = tri[t, (e + 1) % 3]
            c = tri[t, (e + 2) % 3]
            d = tri[u, f]
            if a == d or tri[u, (f + 1) % 3] != c:
                continue
            if flat.size and not flat[region[t]] and s.kind[a] != ON_FACE and s.kind[d] != ON_FACE:
                # an edge between two curves may leave the surface
                continue
            now = min(shape(p, a, b, c), shape(p, d, c, b))
            then = min(shape(p, a, b, d), shape(p, a, d, c))
            if then <= now * _GAIN or _folds(s, a, b, c, d, facing):
                continue
            if linked(tri, nbr, s.seen, s.at, s.tally, a, d, rows):
                continue
            flip(s, t, e)
            made += 1
    return made
