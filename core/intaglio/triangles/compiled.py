"""Shape, normal and length of triangles and edges given by rows of a point array, compiled."""

import numpy as np
from numba import njit

# makes the shape 1 for the equilateral triangle: 4√3 over twice the area
_EQUILATERAL = 2.0 * float(np.sqrt(3.0))
# cosine of the angle by which a triangle may lean away from the facets at one of its nodes (78°)
FACING = 0.2


@njit(cache=True)
def shape(p, a, b, c):
    """Triangle quality 4√3·area / Σ edge², 1 for equilateral, 0 for flat."""
    ux = p[b, 0] - p[a, 0]
    uy = p[b, 1] - p[a, 1]
    uz = p[b, 2] - p[a, 2]
    vx = p[c, 0] - p[a, 0]
    vy = p[c, 1] - p[a, 1]
    vz = p[c, 2] - p[a, 2]
    nx = uy * vz - uz * vy
    ny = uz * vx - ux * vz
    nz = ux * vy - uy * vx
    wx = vx - ux
    wy = vy - uy
    wz = vz - uz
    total = ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz + wx * wx + wy * wy + wz * wz
    if total == 0.0:
        return 0.0
    return _EQUILATERAL * np.sqrt(nx * nx + ny * ny + nz * nz) / total


@njit(cache=True)
def normal_of(p, a, b, c):
    """Normal of a triangle, as long as twice its area."""
    ux = p[b, 0] - p[a, 0]
    uy = p[b, 1] - p[a, 1]
    uz = p[b, 2] - p[a, 2]
    vx = p[c, 0] - p[a, 0]
    vy = p[c, 1] - p[a, 1]
    vz = p[c, 2] - p[a, 2]
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@njit(cache=True)
def square_length(p, a, b):
    """Squared length of edge ab."""
    return (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2


@njit(cache=True)
def length_in_field(p, size, a, b):
    """Length of edge ab over the mean of the lengths wanted at its ends."""
    return np.sqrt(square_length(p, a, b)) / (0.5 * (size[a] + size[b]))


@njit(cache=True)
def turned_away(normal, a, b, c, nx, ny, nz, length, facing):
    """Whether a triangle's normal of this length looks away from the facets at one of its nodes.

    facing: the least cosine between them.
    """
    least = facing * length
    return (
        leans(normal, a, nx, ny, nz, least)
        or leans(normal, b, nx, ny, nz, least)
        or leans(normal, c, nx, ny, nz, least)
    )


@njit(cache=True)
def leans(normal, v, nx, ny, nz, least):
    """Whether n has less than `least` along the facets' normal at node v, where it has one."""
    dot = nx * normal[v, 0] + ny * normal[v, 1] + nz * normal[v, 2]
    return dot < least and (normal[v, 0] != 0.0 or normal[v, 1] != 0.0 or normal[v, 2] != 0.0)
