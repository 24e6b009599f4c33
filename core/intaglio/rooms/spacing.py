"""Points on surfaces as close as the space before them is narrow.

A cube around the surface is halved all three ways until it is no larger than a share of the
distance to the wall that faces the surface in it; then it gets one point. So it does not matter
into which triangles a surface is parted. Where the wall leaves no room for the least ball that
matters it does not count.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, first_hits, nearest
from intaglio.numeric.chunks import FEW_SLOW, in_chunks
from intaglio.triangles.measures import triangle_normals

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Bools = NDArray[np.bool_]

# points that there is room for
_MOST = 3_000_000
# edges of cubes over the distance to the next wall
_SHARE = 0.42
# how far from the middle of its cube a point is looked for, in edges: points of a grid would lie on
# spheres by eights, and whose sphere holds whom could only be told exactly
_SHAKEN = 0.15
# rays lean so far from the normal, to as many sides: what stands at a slant is met too
_LEAN, _SIDES = np.radians(50.0), 4
# walls face each other by this cosine between their normals: those that meet in a corner do not
_FACING = 0.5


class TooFine(ValueError):
    """Points so close together are more than there is room for."""


def spots(tree: BoxTree, coarse: float, fine: float, seed: int = 7) -> tuple[Floats, Ints]:
    """Points (k, 3) on a tree's triangles, between coarse and fine apart, in the tree's unit, and
    the triangle (k,) that each lies on. Raises TooFine."""
    low, high = (
        tree.points[tree.triangles].min(axis=(0, 1)),
        tree.points[tree.triangles].max(axis=(0, 1)),
    )
    least, most = 0.7 * fine, 0.7 * coarse
    edge = most * 2.0 ** max(0, int(np.ceil(np.log2(float((high - low).max()) / most))))
    corner = (0.5 * (low + high) - 0.5 * edge)[None]
    rng = np.random.default_rng(seed)
    done: list[tuple[Floats, Ints]] = []
    while len(corner):
        middle = corner + edge * (0.5 + rng.uniform(-_SHAKEN, _SHAKEN, corner.shape))
        foot, of, away = feet(tree, middle)
        # beyond this no corner of the cube meets the surface
        near = away <= (np.sqrt(0.75) + _SHAKEN * np.sqrt(3.0)) * edge
        corner, foot, of = corner[near], foot[near], of[near]
        if edge <= most * (1 + 1e-9):
            limit = np.clip(_SHARE * _before(tree, foot, of, fine), least, most)
            ready = edge <= limit * (1 + 1e-9)
            within = ((foot >= corner) & (foot < corner + edge)).all(axis=1) & ready
            done.append((foot[within], of[within]))
            corner = corner[~ready]
        if sum(len(p) for p, _ in done) + len(corner) > _MOST:
            raise TooFine(f"over {_MOST:,} points, {fine} apart")
        edge *= 0.5
        eighth = np.array([[i & 1, (i >> 1) & 1, (i >> 2) & 1] for i in range(8)]) * edge
        corner = (corner[:, None] + eighth).reshape(-1, 3)
    return np.concatenate([p for p, _ in done]), np.concatenate([t for _, t in done])


def feet(tree: BoxTree, places: Floats) -> tuple[Floats, Ints, Floats]:
    """Nearest place (n, 3) of the surface to each place (n, 3), its triangle and its distance."""
    places = np.ascontiguousarray(places)
    foot, of = np.empty((len(places), 3)), np.empty(len(places), np.int32)
    in_chunks(lambda a, b: _nearest_to(tree, places, foot, of, a, b), len(places), FEW_SLOW)
    return foot, of, np.linalg.norm(foot - places, axis=1)


@njit(cache=True, nogil=True)
def _nearest_to(tree, places, foot, of, start, end):
    for r in range(start, end):
        of[r] = nearest(tree, 0, places[r], foot[r])


def _before(tree: BoxTree, place: Floats, of: Ints, fine: float) -> Floats:
    """Distance (k,) from places (k, 3) on triangles (k,) to the next wall on either side that
    leaves room for the least ball; infinite where none is met."""
    whole = triangle_normals(tree.points, tree.triangles)
    normal = whole[of]
    one = np.cross(normal, np.eye(3)[np.abs(normal).argmin(axis=1)])
    length = np.linalg.norm(one, axis=1)
    one /= np.where(length > 0, length, 1.0)[:, None]
    two = np.cross(normal, one)
    out = np.full(len(place), np.inf)
    skip = np.full(len(place), fine)
    for side in (1.0, -1.0):
        ways = [side * normal]
        for k in range(_SIDES):
            turn = 2.0 * np.pi * k / _SIDES
            aside = np.cos(turn) * one + np.sin(turn) * two
            ways.append(side * np.cos(_LEAN) * normal + np.sin(_LEAN) * aside)
        for way in ways:
            far, hit = first_hits(tree, place, way, skip)
            faces = np.abs(np.einsum("ij,ij->i", normal, whole[hit])) > _FACING
            out = np.where(faces, np.minimum(out, far), out)
    return out
