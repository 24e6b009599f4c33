"""Exact orientation and in-sphere tests: a floating filter, then exact expansions.

Source: J. R. Shewchuk (1997), error bounds of section 4. Every function returns the exact sign
(-1, 0, 1) for any finite doubles whose products neither overflow nor underflow.
"""

import numpy as np
from numba import njit

from intaglio.numeric.expansions import add, difference, multiply, negate, sign

_EPS = 1.1102230246251565e-16  # 2^-53
_ORIENT2_BOUND = (3.0 + 16.0 * _EPS) * _EPS
_ORIENT3_BOUND = (7.0 + 56.0 * _EPS) * _EPS
_INSPHERE_BOUND = (16.0 + 224.0 * _EPS) * _EPS
_QUICK_BOUND = 24.0 * _INSPHERE_BOUND


@njit(cache=True)
def orient2d(ax, ay, bx, by, cx, cy):
    """Sign of the area of triangle abc: 1 if counter-clockwise."""
    left = (ax - cx) * (by - cy)
    right = (ay - cy) * (bx - cx)
    det = left - right
    bound = _ORIENT2_BOUND * (abs(left) + abs(right))
    if det > bound:
        return 1
    if det < -bound:
        return -1
    return sign(
        add(
            multiply(difference(ax, cx), difference(by, cy)),
            negate(multiply(difference(ay, cy), difference(bx, cx))),
        )
    )


@njit(cache=True)
def _minor(ux, uy, vx, vy):
    return add(multiply(ux, vy), negate(multiply(uy, vx)))


@njit(cache=True)
def _determinant(ux, uy, uz, vx, vy, vz, wx, wy, wz):
    """Exact u · (v × w) of expansions."""
    total = multiply(_minor(vx, vy, wx, wy), uz)
    total = add(total, multiply(_minor(wx, wy, ux, uy), vz))
    return add(total, multiply(_minor(ux, uy, vx, vy), wz))


@njit(cache=True)
def _orient3d_exact(p, a, b, c, d):
    return sign(
        _determinant(
            difference(p[b, 0], p[a, 0]),
            difference(p[b, 1], p[a, 1]),
            difference(p[b, 2], p[a, 2]),
            difference(p[c, 0], p[a, 0]),
            difference(p[c, 1], p[a, 1]),
            difference(p[c, 2], p[a, 2]),
            difference(p[d, 0], p[a, 0]),
            difference(p[d, 1], p[a, 1]),
            difference(p[d, 2], p[a, 2]),
        )
    )


@njit(cache=True)
def orient3d(p, a, b, c, d):
    """Sign of the volume of tetrahedron abcd, rows of p (n, 3): 1 if (b-a)×(c-a)·(d-a) > 0."""
    dx = p[d, 0]
    dy = p[d, 1]
    dz = p[d, 2]
    ux = p[a, 0] - dx
    uy = p[a, 1] - dy
    uz = p[a, 2] - dz
    vx = p[b, 0] - dx
    vy = p[b, 1] - dy
    vz = p[b, 2] - dz
    wx = p[c, 0] - dx
    wy = p[c, 1] - dy
    wz = p[c, 2] - dz
    vxwy = vx * wy
    wxvy = wx * vy
    wxuy = wx * uy
    uxwy = ux * wy
    uxvy = ux * vy
    vxuy = vx * uy
    det = uz * (vxwy - wxvy) + vz * (wxuy - uxwy) + wz * (uxvy - vxuy)
    bound = _ORIENT3_BOUND * (
        (abs(vxwy) + abs(wxvy)) * abs(uz)
        + (abs(wxuy) + abs(uxwy)) * abs(vz)
        + (abs(uxvy) + abs(vxuy)) * abs(wz)
    )
    if det > bound:
        return -1
    if det < -bound:
        return 1
    # a difference is zero only of equal numbers: points in a plane across an axis are told at once
    if (
        (ux == 0.0 and vx == 0.0 and wx == 0.0)
        or (uy == 0.0 and vy == 0.0 and wy == 0.0)
        or (uz == 0.0 and vz == 0.0 and wz == 0.0)
    ):
        return 0
    # one version for all types of numbers of nodes: each is large
    return _orient3d_exact(p, np.int64(a), np.int64(b), np.int64(c), np.int64(d))


@njit(cache=True, inline="always")
def orient_filter(ux, uy, uz, vx, vy, vz, wx, wy, wz):
    """Sign of tetrahedron abcd from u = a - d, v = b - d, w = c - d, or 0 if it is not certain.

    Scalars only and a bound that is quick to reach, for loops that cannot afford a call.
    """
    det = uz * (vx * wy - wx * vy) + vz * (wx * uy - ux * wy) + wz * (ux * vy - vx * uy)
    m = abs(ux) + abs(uy) + abs(uz) + abs(vx) + abs(vy) + abs(vz) + abs(wx) + abs(wy) + abs(wz)
    bound = _ORIENT3_BOUND * m * m * m
    return -1 if det > bound else (1 if det < -bound else 0)


@njit(cache=True, inline="always")
def sphere_filter(ax, ay, az, bx, by, bz, cx, cy, cz, dx, dy, dz):
    """Like `insphere`, from the sphere's four points relative to the fifth, or 0 if not certain."""
    ab = ax * by - bx * ay
    bc = bx * cy - cx * by
    cd = cx * dy - dx * cy
    da = dx * ay - ax * dy
    ac = ax * cy - cx * ay
    bd = bx * dy - dx * by
    la = ax * ax + ay * ay + az * az
    lb = bx * bx + by * by + bz * bz
    lc = cx * cx + cy * cy + cz * cz
    ld = dx * dx + dy * dy + dz * dz
    abc = az * bc - bz * ac + cz * ab
    bcd = bz * cd - cz * bd + dz * bc
    cda = cz * da + dz * ac + az * cd
    dab = dz * ab + az * bd + bz * da
    det = (ld * abc - lc * dab) + (lb * cda - la * bcd)
    # |minors| <= products of lengths, so the permanent is at most 24 times the fifth power
    m = la + lb + lc + ld
    bound = _QUICK_BOUND * m * m * np.sqrt(m)
    return -1 if det > bound else (1 if det < -bound else 0)


@njit(cache=True)
def _insphere_exact(p, a, b, c, d, e):
    ax = difference(p[a, 0], p[e, 0])
    ay = difference(p[a, 1], p[e, 1])
    az = difference(p[a, 2], p[e, 2])
    bx = difference(p[b, 0], p[e, 0])
    by = difference(p[b, 1], p[e, 1])
    bz = difference(p[b, 2], p[e, 2])
    cx = difference(p[c, 0], p[e, 0])
    cy = difference(p[c, 1], p[e, 1])
    cz = difference(p[c, 2], p[e, 2])
    dx = difference(p[d, 0], p[e, 0])
    dy = difference(p[d, 1], p[e, 1])
    dz = difference(p[d, 2], p[e, 2])
    la = add(add(multiply(ax, ax), multiply(ay, ay)), multiply(az, az))
    lb = add(add(multiply(bx, bx), multiply(by, by)), multiply(bz, bz))
    lc = add(add(multiply(cx, cx), multiply(cy, cy)), multiply(cz, cz))
    ld = add(add(multiply(dx, dx), multiply(dy, dy)), multiply(dz, dz))
    total = multiply(la, _determinant(bx, by, bz, cx, cy, cz, dx, dy, dz))
    total = add(total, negate(multiply(lb, _determinant(ax, ay, az, cx, cy, cz, dx, dy, dz))))
    total = add(total, multiply(lc, _determinant(ax, ay, az, bx, by, bz, dx, dy, dz)))
    total = add(total, negate(multiply(ld, _determinant(ax, ay, az, bx, by, bz, cx, cy, cz))))
    return sign(total)


@njit(cache=True)
def insphere(p, a, b, c, d, e):
    """1 if row e of p lies inside the sphere through a, b, c, d, of which orient3d is 1."""
    ex = p[e, 0]
    ey = p[e, 1]
    ez = p[e, 2]
    ax = p[a, 0] - ex
    ay = p[a, 1] - ey
    az = p[a, 2] - ez
    bx = p[b, 0] - ex
    by = p[b, 1] - ey
    bz = p[b, 2] - ez
    cx = p[c, 0] - ex
    cy = p[c, 1] - ey
    cz = p[c, 2] - ez
    dx = p[d, 0] - ex
    dy = p[d, 1] - ey
    dz = p[d, 2] - ez
    axby = ax * by
    bxay = bx * ay
    bxcy = bx * cy
    cxby = cx * by
    cxdy = cx * dy
    dxcy = dx * cy
    dxay = dx * ay
    axdy = ax * dy
    axcy = ax * cy
    cxay = cx * ay
    bxdy = bx * dy
    dxby = dx * by
    ab = axby - bxay
    bc = bxcy - cxby
    cd = cxdy - dxcy
    da = dxay - axdy
    ac = axcy - cxay
    bd = bxdy - dxby
    la = ax * ax + ay * ay + az * az
    lb = bx * bx + by * by + bz * bz
    lc = cx * cx + cy * cy + cz * cz
    ld = dx * dx + dy * dy + dz * dz
    abc = az * bc - bz * ac + cz * ab
    bcd = bz * cd - cz * bd + dz * bc
    cda = cz * da + dz * ac + az * cd
    dab = dz * ab + az * bd + bz * da
    det = (ld * abc - lc * dab) + (lb * cda - la * bcd)
    az = abs(az)
    bz = abs(bz)
    cz = abs(cz)
    dz = abs(dz)
    axby = abs(axby)
    bxay = abs(bxay)
    bxcy = abs(bxcy)
    cxby = abs(cxby)
    cxdy = abs(cxdy)
    dxcy = abs(dxcy)
    dxay = abs(dxay)
    axdy = abs(axdy)
    axcy = abs(axcy)
    cxay = abs(cxay)
    bxdy = abs(bxdy)
    dxby = abs(dxby)
    permanent = (
        ((cxdy + dxcy) * bz + (dxby + bxdy) * cz + (bxcy + cxby) * dz) * la
        + ((dxay + axdy) * cz + (axcy + cxay) * dz + (cxdy + dxcy) * az) * lb
        + ((axby + bxay) * dz + (bxdy + dxby) * az + (dxay + axdy) * bz) * lc
        + ((bxcy + cxby) * az + (cxay + axcy) * bz + (axby + bxay) * cz) * ld
    )
    bound = _INSPHERE_BOUND * permanent
    if det > bound:
        return -1
    if det < -bound:
        return 1
    return _insphere_exact(p, a, b, c, d, e)
