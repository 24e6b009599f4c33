"""Tops of columns moved a little along them, for the good of the core's worst tetrahedra.

Four tops that lie nearly in a plane may leave a flat tetrahedron on two caps, which nothing within
the core can mend: it is the caps that are to be folded more, or less. Nodes of the core beside them
then give way.
"""

from dataclasses import dataclass
from itertools import combinations, product

import numpy as np

from intaglio.layers.shell import Floats, Ints, Longs
from intaglio.quality.cells import dihedral_angles

# tetrahedra with a smaller dihedral angle (degrees) are looked at
_LEAST = 18.0
# degrees as poor as a scaled Jacobian of 1: 12° as 0.15
_PER_JACOBIAN = 100.0
# how far a top may go, over what it may go by
_STEPS = (-0.25, -0.16, -0.08, 0.08, 0.16, 0.25)
_SWEEPS = 6
# ways in which nodes of the core go, and how far, over the mean of the edges of the tetrahedra
_WAYS = np.array([w for w in product((-1, 0, 1), repeat=3) if any(w)], np.float64)
_WAYS /= np.linalg.norm(_WAYS, axis=1)[:, None]
_FAR = (0.04, 0.12, 0.3)


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
    for _ in range(_SWEEPS):
        worst = _least(out, tets)
        bad = tets[np.flatnonzero(worst < _LEAST)]
        moving = np.unique(bad[(place[bad] >= 0) | (bad >= inner)])
        if not len(moving):
            break
        around = tets[np.isin(tets, moving).any(axis=1)]
        moved = False
        for v in moving.tolist():
            own = around[(around == v).any(axis=1)]
            k = int(place[v])
            if k >= 0:
                spots = points[v] + np.outer(_STEPS, tops.last[k] * tops.way[k])
            else:
                edge = np.linalg.norm(out[own] - out[v], axis=2).sum() / (3 * len(own))
                spots = out[v] + np.concatenate([far * edge * _WAYS for far in _FAR])
            moved |= _moved(out, spots, own, v)
        if not moved:
            break
    return out


def _moved(out: Floats, spots: Floats, own: Ints, v: int) -> bool:
    """Move point v to the best of spots (k, 3), if that is better; whether it is."""
    now = out[v].copy()
    best, at = float(_least(out, own).min()), now
    if best >= _LEAST:
        return False
    for spot in spots:
        out[v] = spot
        least = float(_least(out, own).min())
        if least > best:
            best, at = least, spot
    out[v] = at
    return not np.array_equal(at, now)


def _least(points: Floats, tets: Ints) -> Floats:
    """Least dihedral angle (t,) in degrees, or what of the scaled Jacobian is as poor; turned ones
    have less than any other."""
    p = points[tets]
    six = np.einsum("ij,ij->i", np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), p[:, 3] - p[:, 0])
    length = {
        (a, b): np.linalg.norm(p[:, b] - p[:, a], axis=1) for a, b in combinations(range(4), 2)
    }
    corners = [np.prod([length[e] for e in length if c in e], axis=0) for c in range(4)]
    jacobian = np.sqrt(2.0) * six / np.maximum(np.max(corners, axis=0), 1e-300)
    angle = np.minimum(dihedral_angles(points, tets)[0], _PER_JACOBIAN * jacobian)
    return np.where(six > 0, angle, -1.0)
