"""Refinement regions: shapes in space with an edge length inside and an easing around.

Inside a shape the edge length is `size`; outside it eases off linearly to the largest edge over the
distance `easing`. Points that carry these sizes are laid out by halving cubes until each is no
larger than the size it holds.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, box_tree, nearest
from intaglio.numeric.chunks import in_chunks

Floats = NDArray[np.float64]
SHAPES = ("box", "cylinder", "sphere", "frustum", "shell")


@dataclass(frozen=True)
class Region:
    """name; shape, one of SHAPES; size and easing in model units.

    low, high (3,): a box's corners. start, end (3,): the axis of a cylinder or frustum, or a
    sphere's centre in start; radius, end_radius: at start and end. thickness: how far a shell
    reaches from the triangles (m, 3) of points (n, 3).
    """

    name: str
    shape: str
    size: float
    easing: float
    low: Floats | None = None
    high: Floats | None = None
    start: Floats | None = None
    end: Floats | None = None
    radius: float = 0.0
    end_radius: float = 0.0
    thickness: float = 0.0
    points: Floats | None = None
    triangles: NDArray[np.int32] | None = None


@njit(cache=True, nogil=True)
def _distances(tree, spots, out, start, end):
    """Distance of spots start..end to the nearest triangle, into out."""
    near = np.empty(3)
    for k in range(start, end):
        nearest(tree, 0, spots[k], near)
        out[k] = np.sqrt(
            (near[0] - spots[k, 0]) ** 2
            + (near[1] - spots[k, 1]) ** 2
            + (near[2] - spots[k, 2]) ** 2
        )


def distance(region: Region, spots: Floats, tree: BoxTree | None = None) -> Floats:
    """How far points (n, 3) lie outside the region's shape, 0 inside."""
    if region.shape == "box":
        assert region.low is not None and region.high is not None
        beyond = np.maximum(np.maximum(region.low - spots, spots - region.high), 0.0)
        return np.linalg.norm(beyond, axis=1)
    if region.shape == "shell":
        tree = tree or _tree(region)
        at, out = np.ascontiguousarray(spots), np.empty(len(spots))
        in_chunks(lambda start, end: _distances(tree, at, out, start, end), len(at))
        return np.maximum(out - region.thickness, 0.0)
    assert region.start is not None
    if region.shape == "sphere":
        return np.maximum(np.linalg.norm(spots - region.start, axis=1) - region.radius, 0.0)
    assert region.end is not None
    # in the half-plane through the axis: along it and away from it
    axis = region.end - region.start
    length = float(np.linalg.norm(axis))
    axis = axis / length
    along = (spots - region.start) @ axis
    away = np.linalg.norm(spots - region.start - along[:, None] * axis, axis=1)
    end = region.radius if region.shape == "cylinder" else region.end_radius
    edge = np.array([length, end - region.radius])
    side = edge @ edge
    # nearest point of the slanted line, then of the two flat ends
    share = np.clip((along * edge[0] + (away - region.radius) * edge[1]) / side, 0.0, 1.0)
    slant = np.hypot(along - share * length, away - region.radius - share * edge[1])
    first = np.hypot(along, np.maximum(away - region.radius, 0.0))
    last = np.hypot(along - length, np.maximum(away - end, 0.0))
    limit = region.radius + edge[1] * along / length
    inside = (along >= 0) & (along <= length) & (away <= limit)
    return np.where(inside, 0.0, np.minimum(slant, np.minimum(first, last)))


def _tree(region: Region) -> BoxTree:
    assert region.points is not None and region.triangles is not None
    return box_tree(region.points, region.triangles)


def bounds(region: Region) -> tuple[Floats, Floats]:
    """Low and high corner of the shape's box."""
    if region.shape == "box":
        assert region.low is not None and region.high is not None
        return region.low, region.high
    if region.shape == "shell":
        assert region.points is not None and region.triangles is not None
        own = region.points[region.triangles].reshape(-1, 3)
        return own.min(axis=0) - region.thickness, own.max(axis=0) + region.thickness
    assert region.start is not None
    if region.shape == "sphere":
        return region.start - region.radius, region.start + region.radius
    assert region.end is not None
    most = max(region.radius, region.end_radius)
    ends = np.stack([region.start, region.end])
    return ends.min(axis=0) - most, ends.max(axis=0) + most


def region_sizes(region: Region, away: Floats, largest: float) -> Floats:
    """Edge length at distances `away` outside the shape."""
    if region.easing <= 0:
        return np.where(away <= 0, region.size, largest)
    return region.size + (largest - region.size) * np.minimum(away / region.easing, 1.0)


def region_samples(
    region: Region, largest: float, low: Floats, high: Floats
) -> tuple[Floats, Floats]:
    """Points (n, 3) in the box low..high and the edge lengths (n,) that the region asks for."""
    empty = np.zeros((0, 3)), np.zeros(0)
    if region.size >= largest:
        return empty
    tree = _tree(region) if region.shape == "shell" else None
    own_low, own_high = bounds(region)
    first = np.maximum(own_low - region.easing, low)
    last = np.minimum(own_high + region.easing, high)
    if (first >= last).any():
        return empty
    side = float((last - first).max())
    count = np.maximum(np.ceil((last - first) / side), 1).astype(int)
    centre = first + (last - first) / 2
    cubes = centre[None, :].repeat(int(count.prod()), axis=0)
    points, sizes = [], []
    while len(cubes):
        away = distance(region, cubes, tree)
        reach = 0.5 * np.sqrt(3.0) * side
        least = region_sizes(region, np.maximum(away - reach, 0.0), largest)
        split = (side > least) & (least < largest)
        size = region_sizes(region, away, largest)
        done = ~split & (size < largest)
        points.append(cubes[done])
        sizes.append(size[done])
        side /= 2.0
        corner = np.array([[(k >> i) & 1 for i in range(3)] for k in range(8)]) - 0.5
        cubes = (cubes[split][:, None, :] + side * corner).reshape(-1, 3)
        if len(cubes) > 4_000_000:
            raise MemoryError(region.name)
    return np.concatenate(points), np.concatenate(sizes)
