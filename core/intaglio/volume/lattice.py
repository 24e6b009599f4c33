"""Where the size field is even, inner points take the places of a body-centred cubic lattice.

Its Delaunay tetrahedra are all alike and nearly regular (dihedral angles of 60 and 90 degrees), far
better on the mean than any scattered points: D. F. Naylor, "Filling space with tetrahedra",
Int. J. Numer. Methods Eng. 44 (1999).
"""

import numpy as np
from numpy.typing import NDArray

from intaglio.sizing.octree import SizeField, sizes, spreads

Floats = NDArray[np.float64]

# side of the lattice's cube over the edge length asked for: as many cells as scattered points give
_SIDE = 1.045
# of the edge length: enough to spare the exact predicates the lattice's cospherical points
_SHAKE = 1e-4
# sizes within a fiftieth of each other share one lattice
_STEP = 0.02


def nearest_sites(spots: Floats, side: Floats, origin: Floats) -> Floats:
    """Nearest places (n, 3) to points (n, 3) in lattices of cubes of `side` (n,) from origin on."""
    place = (spots - origin) / side[:, None]
    corner = np.round(place)
    middle = np.floor(place) + 0.5
    nearer = ((place - corner) ** 2).sum(axis=1) <= ((place - middle) ** 2).sum(axis=1)
    return origin + side[:, None] * np.where(nearer[:, None], corner, middle)


def is_even(spots: Floats, field: SizeField) -> NDArray[np.bool_]:
    """Whether (n,) the size is nearly the same all over the leaf that holds each point (n, 3)."""
    return spreads(field, spots) < _STEP


def settled(spots: Floats, wanted: Floats, field: SizeField) -> tuple[Floats, NDArray[np.bool_]]:
    """Points (n, 3) moved onto lattices where the field is even, and which were; wanted (n,)."""
    even = is_even(spots, field)
    side = _SIDE * np.exp(_STEP * np.round(np.log(wanted[even]) / _STEP))
    out = spots.copy()
    out[even] = nearest_sites(spots[even], side, field.low)
    return out, even


def shaken(spots: Floats, even: NDArray[np.bool_], field: SizeField) -> Floats:
    """Points (n, 3) with those on a lattice moved a little, always in the same way."""
    rng = np.random.default_rng(len(spots))
    shift = _SHAKE * sizes(field, spots)[:, None] * rng.uniform(-1.0, 1.0, spots.shape)
    return spots + even[:, None] * shift
