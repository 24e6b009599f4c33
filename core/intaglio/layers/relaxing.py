"""Tops of columns moved a little along them, for the good of the core's worst tetrahedra.

Four tops that lie nearly in a plane may leave a flat tetrahedron on two caps, which nothing within
the core can mend: it is the caps that are to be folded more, or less.
"""

from dataclasses import dataclass

import numpy as np

from intaglio.layers.shell import Floats, Ints, Longs
from intaglio.quality.cells import dihedral_angles

# tetrahedra with a smaller dihedral angle are looked at
_LEAST = 13.0
# how far a top may go, over the height of its last layer
_STEPS = (-0.25, -0.16, -0.08, 0.08, 0.16, 0.25)
_SWEEPS = 3


@dataclass(frozen=True)
class Tops:
    """Points (k,) at the tops of columns, the direction (k, 3) of each column, and the height (k,)
    of its last layer."""

    point: Longs
    way: Floats
    last: Floats


def relaxed(points: Floats, tets: Ints, tops: Tops) -> Floats:
    """Points (n, 3) with some tops moved along their columns so that the worst tetrahedra (t, 4)
    at each get better."""
    out = points.copy()
    place = np.full(len(points), -1)
    place[tops.point] = np.arange(len(tops.point))
    for _ in range(_SWEEPS):
        worst = _least(out, tets)
        bad = tets[np.flatnonzero(worst < _LEAST)]
        moving = np.unique(bad[place[bad] >= 0])
        if not len(moving):
            break
        around = tets[np.isin(tets, moving).any(axis=1)]
        moved = False
        for v in moving.tolist():
            own = around[(around == v).any(axis=1)]
            moved |= _moved(out, points[v], own, v, tops, int(place[v]))
        if not moved:
            break
    return out


def _moved(out: Floats, home: Floats, own: Ints, v: int, tops: Tops, k: int) -> bool:
    """Move point v to the best place near home; whether that is another than it has."""
    now = out[v].copy()
    best, at = float(_least(out, own).min()), now
    if best >= _LEAST:
        return False
    for step in _STEPS:
        out[v] = home + step * tops.last[k] * tops.way[k]
        least = float(_least(out, own).min())
        if least > best:
            best, at = least, out[v].copy()
    out[v] = at
    return not np.array_equal(at, now)


def _least(points: Floats, tets: Ints) -> Floats:
    """Least dihedral angle (t,) in degrees; turned ones have less than any other."""
    p = points[tets]
    volume = np.einsum(
        "ij,ij->i", np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), p[:, 3] - p[:, 0]
    )
    return np.where(volume > 0, dihedral_angles(points, tets)[0], -1.0)
