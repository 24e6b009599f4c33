"""Points on surfaces as close as the space before them is narrow.

A triangle is halved both ways until it is no larger than six tenths of the distance to the wall
that faces it before or behind. Where that leaves no room for the least ball that matters it stays
as it is.
"""

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, first_hits
from intaglio.triangles.measures import triangle_normals

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

# edges of pieces over the distance to the next wall
_SHARE = 0.6
# rays lean so far from the normal, to as many sides: what stands at a slant is met too
_LEAN, _SIDES = np.radians(50.0), 4
# walls face each other by this cosine between their normals: those that meet in a corner do not
_FACING = 0.5


def pieces(tree: BoxTree, coarse: float, fine: float) -> tuple[Floats, Ints, Floats]:
    """Corners (k, 3, 3) of pieces of a tree's triangles, the triangle (k,) that each is of, and
    how long its edges may be (k,), between fine and coarse, in the tree's unit."""
    corner = tree.points[tree.triangles]
    of = np.arange(len(corner), dtype=np.int32)
    done: list[tuple[Floats, Ints, Floats]] = []
    while len(corner):
        edge = _longest(corner)
        limit = np.full(len(corner), coarse)
        small = edge <= coarse
        limit[small] = np.clip(_SHARE * _before(tree, corner[small], fine), fine, coarse)
        ready = edge <= limit
        done.append((corner[ready], of[ready], limit[ready]))
        corner, of = _quarters(corner[~ready]), np.repeat(of[~ready], 4)
    out = tuple(np.concatenate(v) for v in zip(*done, strict=True))
    return out[0], out[1], out[2]


def _before(tree: BoxTree, corner: Floats, fine: float) -> Floats:
    """Distance (k,) from the middle of each piece (k, 3, 3) to the next wall on either side
    that leaves room for the least ball; infinite where none is met."""
    middle = corner.mean(axis=1)
    normal = _unit(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]))
    one = _unit(np.cross(normal, np.eye(3)[np.abs(normal).argmin(axis=1)]))
    two = np.cross(normal, one)
    out = np.full(len(corner), np.inf)
    skip = np.full(len(corner), fine)
    whole = triangle_normals(tree.points, tree.triangles)
    for side in (1.0, -1.0):
        ways = [side * normal]
        for k in range(_SIDES):
            turn = 2.0 * np.pi * k / _SIDES
            aside = np.cos(turn) * one + np.sin(turn) * two
            ways.append(side * np.cos(_LEAN) * normal + np.sin(_LEAN) * aside)
        for way in ways:
            far, hit = first_hits(tree, middle, way, skip)
            faces = np.abs(np.einsum("ij,ij->i", normal, whole[hit])) > _FACING
            out = np.where(faces, np.minimum(out, far), out)
    return out


def _longest(corner: Floats) -> Floats:
    return np.linalg.norm(corner - np.roll(corner, -1, axis=1), axis=2).max(axis=1)


def _quarters(corner: Floats) -> Floats:
    """Four pieces of each, by the middles of its edges."""
    a, b, c = corner[:, 0], corner[:, 1], corner[:, 2]
    ab, bc, ca = 0.5 * (a + b), 0.5 * (b + c), 0.5 * (c + a)
    rows = [(a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)]
    return np.stack([np.stack(row, axis=1) for row in rows], axis=1).reshape(-1, 3, 3)


def _unit(vectors: Floats) -> Floats:
    length = np.linalg.norm(vectors, axis=1)
    return vectors / np.where(length > 0, length, 1.0)[:, None]
