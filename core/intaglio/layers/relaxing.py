"""Tops of columns moved a little along them, for the good of the core's worst tetrahedra.

Four tops that lie nearly in a plane may leave a flat tetrahedron on two caps, which nothing within
the core can mend: it is the caps that are to be folded more, or less. Nodes of the core beside them
then give way.
"""

from dataclasses import dataclass
from itertools import product

import numpy as np
from numba import njit

from intaglio.layers.shell import Floats, Ints, Longs
from intaglio.volume.shapes import least_sine

# tetrahedra with a dihedral angle (degrees) less than this, or that near to 180°, are looked at
_LEAST = 18.0
# degrees as poor as a scaled Jacobian of 1: 12° as 0.15
_PER_JACOBIAN = 100.0
# how far a top may go, over what it may go by
_STEPS = np.array([-0.25, -0.16, -0.08, 0.08, 0.16, 0.25])
_SWEEPS = 6
# where nodes of the core may go, over the mean of the edges of the tetrahedra at them
_WAYS = np.array([w for w in product((-1, 0, 1), repeat=3) if any(w)], np.float64)
_WAYS /= np.linalg.norm(_WAYS, axis=1)[:, None]
_MOVES = np.concatenate([far * _WAYS for far in (0.04, 0.12, 0.3)])


@dataclass(frozen=True)
class Tops:
    """Points (k,) at the tops of columns, the direction (k, 3) of each column, and what it goes by
    (k,): the height of its last layer, or more where that bends no face."""

    point: Longs
    way: Floats
    last: Floats


def relaxed(points: Floats, tets: Ints, tops: Tops, inner: int) -> Floats:
    """Points (n, 3) with some tops moved along their columns, and nodes of the core, those from
    `inner` on, whichever way, so that the worst tetrahedra (t, 4) at each get better."""
    out = points.copy()
    place = np.full(len(points), -1)
    place[tops.point] = np.arange(len(tops.point))
    run = tops.last[:, None] * tops.way
    corner = np.argsort(tets.ravel(), kind="stable")
    start = np.searchsorted(tets.ravel()[corner], np.arange(len(points) + 1))
    around = corner // 4
    for _ in range(_SWEEPS):
        bad = tets[_worse(out, tets, _LEAST)]
        moving = np.unique(bad[(place[bad] >= 0) | (bad >= inner)])
        if not _sweep(points, out, tets, start, around, moving, place, run):
            break
    return out


@njit(cache=True)
def _sweep(points, out, tets, start, around, moving, place, run):
    """Move each of some nodes (k,) in turn to the best of the places it may go to. Number moved.

    points, out (n, 3): where nodes were and are; around: the tetrahedra at node v are those from
    start[v] to start[v + 1]; place (n,): the row of run (c, 3) of a top, -1 of nodes of the core.
    """
    count = 0
    was, best_at = np.empty(3), np.empty(3)
    for v in moving:
        own = around[start[v] : start[v + 1]]
        best = _worst_at(out, tets, own)
        if best >= _LEAST:
            continue
        was[:] = out[v]
        best_at[:] = was
        top = place[v]
        edge = 0.0 if top >= 0 else _mean_edge(out, tets, own, v)
        for k in range(len(_STEPS) if top >= 0 else len(_MOVES)):
            if top >= 0:
                out[v] = points[v] + _STEPS[k] * run[top]
            else:
                out[v] = was + edge * _MOVES[k]
            least = _worst_at(out, tets, own)
            if least > best:
                best = least
                best_at[:] = out[v]
        out[v] = best_at
        if (best_at != was).any():
            count += 1
    return count


@njit(cache=True)
def _soundness(p, tet):
    """The least by which a dihedral angle is off 0° and 180° in degrees, or what of the scaled
    Jacobian is as poor; a turned one has less than any other."""
    sine = least_sine(p, tet[0], tet[1], tet[2], tet[3])
    if sine <= 0.0:
        return -1.0
    angle = np.degrees(np.arcsin(min(sine, 1.0)))
    length = np.empty((4, 4))
    for i in range(4):
        for j in range(i):
            u = p[tet[j]] - p[tet[i]]
            length[i, j] = length[j, i] = np.sqrt(u[0] ** 2 + u[1] ** 2 + u[2] ** 2)
    longest = 0.0
    for i in range(4):
        a, b, c = length[i, i - 1], length[i, i - 2], length[i, i - 3]
        longest = max(longest, a * b * c)
    u, v, w = p[tet[1]] - p[tet[0]], p[tet[2]] - p[tet[0]], p[tet[3]] - p[tet[0]]
    six = (u[1] * v[2] - u[2] * v[1]) * w[0]
    six += (u[2] * v[0] - u[0] * v[2]) * w[1] + (u[0] * v[1] - u[1] * v[0]) * w[2]
    return min(angle, _PER_JACOBIAN * np.sqrt(2.0) * six / longest)


@njit(cache=True)
def _worst_at(p, tets, rows):
    """Least soundness of some tetrahedra (k,)."""
    least = 180.0
    for t in rows:
        least = min(least, _soundness(p, tets[t]))
    return least


@njit(cache=True)
def _worse(p, tets, least):
    """Rows (k,) of tetrahedra that are less sound than least."""
    out = np.zeros(len(tets), np.bool_)
    for t in range(len(tets)):
        out[t] = _soundness(p, tets[t]) < least
    return np.flatnonzero(out)


@njit(cache=True)
def _mean_edge(p, tets, rows, v):
    """Mean length of the edges at node v, each once for every tetrahedron that has it."""
    total = 0.0
    for t in rows:
        for u in tets[t]:
            if u != v:
                d = p[u] - p[v]
                total += np.sqrt(d[0] ** 2 + d[1] ** 2 + d[2] ** 2)
    return total / (3 * len(rows))
