"""Balls that touch four nodes and hold none, and what gets from one to the next, compiled."""

import numpy as np
from numba import njit

from intaglio.volume.complex import FACE

# a tetrahedron with less volume than this share of its longest edge cubed has no centre to rely on
_FLAT = 1e-11


@njit(cache=True)
def ball(points, tets, t, centre):
    """Circumradius of a tetrahedron, its circumcentre into centre[t]; of a flat one the middle and
    the largest of its faces' circles."""
    a, b, c, d = tets[t, 0], tets[t, 1], tets[t, 2], tets[t, 3]
    ax, ay, az = _from(points, a, b)
    bx, by, bz = _from(points, a, c)
    cx, cy, cz = _from(points, a, d)
    a2 = ax * ax + ay * ay + az * az
    b2 = bx * bx + by * by + bz * bz
    c2 = cx * cx + cy * cy + cz * cz
    ux, uy, uz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
    six = ax * ux + ay * uy + az * uz
    if abs(six) > _FLAT * max(a2, b2, c2) ** 1.5:
        vx, vy, vz = cy * az - cz * ay, cz * ax - cx * az, cx * ay - cy * ax
        wx, wy, wz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        x = (a2 * ux + b2 * vx + c2 * wx) / (2.0 * six)
        y = (a2 * uy + b2 * vy + c2 * wy) / (2.0 * six)
        z = (a2 * uz + b2 * vz + c2 * wz) / (2.0 * six)
        centre[t, 0] = points[a, 0] + x
        centre[t, 1] = points[a, 1] + y
        centre[t, 2] = points[a, 2] + z
        return np.sqrt(x * x + y * y + z * z)
    for k in range(3):
        centre[t, k] = 0.25 * (points[a, k] + points[b, k] + points[c, k] + points[d, k])
    radius = 0.0
    for i in range(4):
        radius = max(radius, circle(points, tets, t, i)[0])
    return radius


@njit(cache=True)
def _from(points, a, b):
    return (
        points[b, 0] - points[a, 0],
        points[b, 1] - points[a, 1],
        points[b, 2] - points[a, 2],
    )


@njit(cache=True)
def circle(points, tets, t, i):
    """Circumradius of the face opposite node i of a tetrahedron, and its normal (of any length)."""
    a, b, c = tets[t, FACE[i, 0]], tets[t, FACE[i, 1]], tets[t, FACE[i, 2]]
    ux, uy, uz = _from(points, a, b)
    vx, vy, vz = _from(points, a, c)
    wx, wy, wz = _from(points, b, c)
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    area = np.sqrt(nx * nx + ny * ny + nz * nz)
    square = (
        (ux * ux + uy * uy + uz * uz)
        * (vx * vx + vy * vy + vz * vz)
        * (wx * wx + wy * wy + wz * wz)
    )
    return (np.sqrt(square) / (2.0 * area) if area > 0.0 else np.inf), nx, ny, nz


@njit(cache=True)
def passage(points, tets, centre, radius, t, i, u):
    """Radius of the largest ball that gets through the face opposite node i of tetrahedron t into
    tetrahedron u, alike from either side."""
    around, between = _between(points, tets, centre, t, i, u)
    least = min(radius[t], radius[u])
    return min(around, least) if between else least


@njit(cache=True)
def _between(points, tets, centre, t, i, u):
    """Circumradius of the face opposite node i of tetrahedron t, and whether the way from its
    centre to that of u passes the plane of the face."""
    around, nx, ny, nz = circle(points, tets, t, i)
    a = tets[t, FACE[i, 0]]
    x, y, z = points[a, 0], points[a, 1], points[a, 2]
    mine = nx * (centre[t, 0] - x) + ny * (centre[t, 1] - y) + nz * (centre[t, 2] - z)
    theirs = nx * (centre[u, 0] - x) + ny * (centre[u, 1] - y) + nz * (centre[u, 2] - z)
    return around, mine >= 0.0 >= theirs


@njit(cache=True)
def stuck_at(points, tets, centre, radius, t, i, u, out):
    """Where the way between two tetrahedra is narrowest: in the plane of the face opposite node i
    of t if it passes that, else at the smaller end."""
    around, between = _between(points, tets, centre, t, i, u)
    if not between or around >= min(radius[t], radius[u]):
        out[:] = centre[t] if radius[t] <= radius[u] else centre[u]
        return
    a, b, c = tets[t, FACE[i, 0]], tets[t, FACE[i, 1]], tets[t, FACE[i, 2]]
    ux, uy, uz = _from(points, a, b)
    vx, vy, vz = _from(points, a, c)
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    double = 2.0 * (nx * nx + ny * ny + nz * nz)
    u2 = ux * ux + uy * uy + uz * uz
    v2 = vx * vx + vy * vy + vz * vz
    out[0] = points[a, 0] + (u2 * (vy * nz - vz * ny) + v2 * (ny * uz - nz * uy)) / double
    out[1] = points[a, 1] + (u2 * (vz * nx - vx * nz) + v2 * (nz * ux - nx * uz)) / double
    out[2] = points[a, 2] + (u2 * (vx * ny - vy * nx) + v2 * (nx * uy - ny * ux)) / double
