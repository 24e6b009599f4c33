"""The space around surfaces: points are put on them until the balls between the points are those
between the surfaces, wherever a ball of the least radius that matters can be stuck.

Where a way between two balls crosses the surface there is none. Where the narrowest place of a way
comes nearer to the surface than to its points, the nearest place of the surface becomes a point
(Delaunay refinement by the Voronoi edges that a surface meets: J.-D. Boissonnat, S. Oudot,
"Provably good sampling and meshing of surfaces", Graphical Models 67, 2005).
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, box_tree, nearest, ray_distances
from intaglio.numeric.chunks import FEW_SLOW, in_chunks
from intaglio.rooms.samples import Samples, close_samples
from intaglio.rooms.space import Space, narrowest, space_between
from intaglio.volume.complex import FACE

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Bools = NDArray[np.bool_]

# points begin so many to the diagonal of the model
_ACROSS = 40
# how much smaller than told a ball may be
_ACCURATE = 0.05
# new points are no nearer to each other than a share of the ball that asks for them
_APART = 0.3
_ROUNDS = 6
# points lie no closer than this, in least radii
_CLOSEST = 2.0
# a triangle whose longest side's square is this share of all is right-angled, or nearly
_ACUTE = 1.02
# ways are looked along twice, so far beside, in radii: one may run through an edge of the triangles
_BESIDE = 1e-6


@dataclass(frozen=True)
class Around:
    """The space between surfaces, and the points on them that it stands on; rounds that it took,
    and left: places at which it is less accurate than it should be."""

    space: Space
    samples: Samples
    rounds: int
    left: int


def space_around(
    points: Floats,
    triangles: Ints,
    least: float,
    tell: Callable[[float, str], None] = lambda share, doing: None,
) -> Around:
    """The space around and between triangles (m, 3) of points (n, 3), in whatever state they are.

    Where balls of radius `least` (in the surface's unit) and more are stuck, their radius is told
    to 5 %, but for places that are `left` after some rounds; elsewhere balls may reach into walls.
    """
    size = float(np.linalg.norm(np.ptp(points[np.unique(triangles)], axis=0)))
    tree = box_tree(points, triangles)
    tell(0.0, "looking how far walls are apart")
    samples = close_samples(tree, max(size / _ACROSS, _CLOSEST * least), _CLOSEST * least)
    for k in range(_ROUNDS):
        tell((k + 1) / (_ROUNDS + 1), "looking how wide balls are")
        space = _parted(space_between(samples.points), tree, least)
        foot, of, radius = _too_near(space, tree, least)
        if not len(foot):
            return Around(space, samples, k + 1, 0)
        new = _spread(foot, radius)
        samples = replace(
            samples,
            points=np.concatenate([samples.points, foot[new]]),
            triangle=np.concatenate([samples.triangle, of[new]]),
        )
    return Around(space, samples, _ROUNDS, len(foot))


def _parted(space: Space, tree: BoxTree, least: float) -> Space:
    """The space without the ways that cross the surface."""
    t, i = np.nonzero(
        (space.beside > np.arange(len(space.tets))[:, None]) & (space.passing >= least)
    )
    other = space.beside[t, i]
    start, way = space.centre[t], space.centre[other] - space.centre[t]
    length = np.linalg.norm(way, axis=1)
    unit = way / np.maximum(length, 1e-300)[:, None]
    aside = np.cross(unit, np.eye(3)[np.abs(unit).argmin(axis=1)])
    aside *= (_BESIDE * space.radius[t])[:, None]
    aside[~np.isfinite(aside)] = 0.0
    crossed = np.zeros(len(t), bool)
    for shift in (-aside, aside):
        rows = np.flatnonzero(~crossed)
        far = ray_distances(tree, start[rows] + shift[rows], unit[rows], np.zeros(len(rows)))
        crossed[rows] = far <= length[rows]
    passing = space.passing.copy()
    t, i, other = t[crossed], i[crossed], other[crossed]
    passing[t, i] = 0.0
    back = (space.beside[other] == t[:, None]).argmax(axis=1)
    passing[other, back] = 0.0
    return replace(space, passing=passing)


def _too_near(space: Space, tree: BoxTree, least: float) -> tuple[Floats, Ints, Floats]:
    """Places (k, 3) of the surface that lie nearer to where a ball is stuck than they should, the
    triangles (k,) that they lie on and the radius (k,) told there.

    A ball is stuck only within the triangle that it touches: where walls hold it from one side, as
    in a corner, it can go on to be larger.
    """
    t, i = np.nonzero(
        (space.beside > np.arange(len(space.tets))[:, None]) & (space.passing >= least)
    )
    corner = space.points[space.tets[t[:, None], FACE[i]]]
    square = ((corner - np.roll(corner, 1, axis=1)) ** 2).sum(axis=2)
    acute = 2.0 * square.max(axis=1) < _ACUTE * square.sum(axis=1)
    smaller = np.minimum(space.radius[t], space.radius[space.beside[t, i]])
    stuck = acute & (space.passing[t, i] < smaller)
    t, i = t[stuck], i[stuck]
    spot, radius = narrowest(space, t, i), space.passing[t, i]
    foot, of, away = _feet(tree, spot)
    deep = away < (1.0 - _ACCURATE) * radius
    return foot[deep], of[deep], radius[deep]


def _feet(tree: BoxTree, spots: Floats) -> tuple[Floats, Ints, Floats]:
    """Nearest place (n, 3) of the surface to each spot (n, 3), its triangle and its distance."""
    spots = np.ascontiguousarray(spots)
    foot, of = np.empty((len(spots), 3)), np.empty(len(spots), np.int32)
    in_chunks(lambda a, b: _nearest_to(tree, spots, foot, of, a, b), len(spots), FEW_SLOW)
    return foot, of, np.linalg.norm(foot - spots, axis=1)


@njit(cache=True, nogil=True)
def _nearest_to(tree, spots, foot, of, start, end):
    for r in range(start, end):
        of[r] = nearest(tree, 0, spots[r], foot[r])


def _spread(foot: Floats, radius: Floats) -> NDArray[np.int64]:
    """Rows of places (k, 3), one in each cube as wide as a share of the radius (k,) told there."""
    level = np.floor(np.log2(_APART * radius))
    cube = np.floor(foot / np.exp2(level)[:, None])
    _, first = np.unique(np.column_stack([level, cube]), axis=0, return_index=True)
    first.sort()
    return first
