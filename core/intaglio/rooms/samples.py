"""Points on any triangles, however they cross, double or gape: dense enough to hold balls off."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.numeric.boxtree import BoxTree
from intaglio.rooms.spacing import spots
from intaglio.triangles.closure import edge_keys
from intaglio.triangles.measures import triangle_normals

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Bools = NDArray[np.bool_]

# how far points within a triangle are moved along it, in spacings: points of a grid would lie on
# circles by fours, and whose sphere holds whom could only be told exactly
_SHAKEN = 0.15
# points nearer than this, in spacings, are one: balls that touch both could not be told
_CLOSE = 0.01
# cosine between the normals of the triangles at a sharp edge, at most
_SHARP = np.cos(np.radians(25.0))


@dataclass(frozen=True)
class Samples:
    """points (n, 3) on the surface, in its unit, no two in one place; triangle (n,): one of those
    that each lies on; spacing: how far they lie apart at most, about."""

    points: Floats
    triangle: Ints
    spacing: float


def surface_samples(points: Floats, triangles: Ints, spacing: float, seed: int = 7) -> Samples:
    """Corners, points along edges and points within triangles (m, 3) of points (n, 3), `spacing`
    apart, in the surface's unit."""
    points, triangles = _merged(points, triangles)
    spots, owner = _on_edges(points, triangles, lambda bounding: np.full(len(bounding), spacing))
    rng = np.random.default_rng(seed)
    none = np.zeros((0, 3)), np.zeros(0, np.int32)
    count = _within(points, triangles, spacing, np.zeros((0, 2)), *none)
    inner, own = np.empty((count, 3)), np.empty(count, np.int32)
    _within(points, triangles, spacing, rng.uniform(-_SHAKEN, _SHAKEN, (count, 2)), inner, own)
    spots.append(inner)
    owner.append(own)
    return _distinct(spots, owner, spacing)


def close_samples(tree: BoxTree, coarse: float, fine: float) -> Samples:
    """Points on a tree's triangles, as close as the space before them is narrow (`spacing.spots`),
    and along free and sharp edges `fine` apart."""
    points, triangles = _merged(tree.points, tree.triangles)
    spot, owner = _on_edges(points, triangles, lambda bounding: np.where(bounding, fine, np.inf))
    more, of = spots(tree, coarse, fine)
    return _distinct([*spot, more], [*owner, of], fine)


def _merged(points: Floats, triangles: Ints) -> tuple[Floats, Ints]:
    """Points of which none repeats another, and the triangles by them."""
    points, merged = np.unique(points, axis=0, return_inverse=True)
    return points, merged.reshape(-1)[triangles].astype(np.int32)


def _on_edges(
    points: Floats, triangles: Ints, step: Callable[[Bools], Floats]
) -> tuple[list[Floats], list[Ints]]:
    """Corners of triangles and points along their edges, and a triangle of each; step: how far
    apart on edges that bound a smooth piece of the surface, and on others."""
    used, first = np.unique(triangles.ravel(), return_index=True)
    half = triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    _, once = np.unique(edge_keys(half), return_index=True)
    a, b = points[half[once, 0]], points[half[once, 1]]
    length = np.linalg.norm(b - a, axis=1)
    parts = np.ceil(length / step(_bounding(points, triangles))).astype(np.int64)
    more = np.maximum(parts - 1, 0)
    row = np.repeat(np.arange(len(a)), more)
    before = np.cumsum(more) - more
    share = (np.arange(len(row)) - before[row] + 1) / parts[row]
    spots = [points[used], a[row] + share[:, None] * (b - a)[row]]
    return spots, [(first // 3).astype(np.int32), (once[row] // 3).astype(np.int32)]


def _bounding(points: Floats, triangles: Ints) -> Bools:
    """Which edges, in the order of their keys, are free, sharp, or shared by more than two."""
    half = triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    key = edge_keys(half)
    order = np.argsort(key, kind="stable")
    _, begin, uses = np.unique(key[order], return_index=True, return_counts=True)
    out: Bools = uses != 2
    one, other = order[begin[~out]], order[begin[~out] + 1]
    normal = triangle_normals(points, triangles)
    # triangles of a broken surface may be turned either way
    same = half[one, 0] == half[other, 0]
    cosine = np.einsum("ij,ij->i", normal[one // 3], normal[other // 3])
    out[~out] = np.where(same, -cosine, cosine) < _SHARP
    return out


def _distinct(spots: list[Floats], owner: list[Ints], spacing: float) -> Samples:
    every, of = np.concatenate(spots), np.concatenate(owner)
    alone = _apart(every, _CLOSE * spacing)
    return Samples(every[alone], of[alone], spacing)


def _apart(points: Floats, distance: float) -> NDArray[np.int64]:
    """Rows of points (n, 3) of which no two are nearer than a distance."""
    _, alone = np.unique(points, axis=0, return_index=True)
    alone.sort()
    close = cKDTree(points[alone]).query_pairs(distance, output_type="ndarray")
    rest = np.ones(len(alone), bool)
    rest[close.max(axis=1)] = False
    return alone[rest]


@njit(cache=True)
def _within(points, triangles, spacing, shake, out, owner):
    """Rows of points along each triangle's longest edge, off its edges; counted only if out is
    empty."""
    n = 0
    for t in range(triangles.shape[0]):
        longest = -1.0
        base = 0
        for i in range(3):
            u, v = triangles[t, i], triangles[t, (i + 1) % 3]
            square = 0.0
            for k in range(3):
                square += (points[u, k] - points[v, k]) ** 2
            if square > longest:
                longest = square
                base = i
        a = points[triangles[t, base]]
        b = points[triangles[t, (base + 1) % 3]]
        c = points[triangles[t, (base + 2) % 3]]
        length = np.sqrt(longest)
        if not length > 0.0:
            continue
        cross = np.cross(b - a, c - a)
        height = np.sqrt((cross * cross).sum()) / length
        # rows of equilateral triangles, as far from the edges as from each other
        rows = int(np.ceil(height / (0.866 * spacing)))
        for j in range(1, rows):
            up = j / rows
            wide = length * (1.0 - up)
            across = int(np.ceil(wide / spacing))
            for i in range(across):
                along = (i + 0.5) / across
                if across == 1 and rows > 1 and wide < 0.5 * spacing:
                    continue
                if out.shape[0] > 0:
                    s = along + shake[n, 0] / across
                    h = up + shake[n, 1] / rows
                    for k in range(3):
                        low = a[k] + s * (b[k] - a[k])
                        out[n, k] = low + h * (c[k] - low)
                    owner[n] = t
                n += 1
    return n
