"""Shape of one tetrahedron from rows of a point array, compiled."""

import numpy as np
from numba import njit

# makes the volume-length measure 1 for the regular tetrahedron: 6√2 over six times the volume
REGULAR = float(np.sqrt(2.0))


@njit(cache=True)
def volume_length(p, a, b, c, d):
    """6√2·V / l_rms³: 1 for the regular tetrahedron, 0 for a flat one, negative if inverted.

    Source: V. N. Parthasarathy, C. M. Graichen, A. F. Hathaway, "A comparison of tetrahedron
    quality measures", Finite Elements in Analysis and Design 15 (1994).
    """
    ux = p[b, 0] - p[a, 0]
    uy = p[b, 1] - p[a, 1]
    uz = p[b, 2] - p[a, 2]
    vx = p[c, 0] - p[a, 0]
    vy = p[c, 1] - p[a, 1]
    vz = p[c, 2] - p[a, 2]
    wx = p[d, 0] - p[a, 0]
    wy = p[d, 1] - p[a, 1]
    wz = p[d, 2] - p[a, 2]
    six = (uy * vz - uz * vy) * wx + (uz * vx - ux * vz) * wy + (ux * vy - uy * vx) * wz
    total = ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz + wx * wx + wy * wy + wz * wz
    total += (ux - vx) ** 2 + (uy - vy) ** 2 + (uz - vz) ** 2
    total += (ux - wx) ** 2 + (uy - wy) ** 2 + (uz - wz) ** 2
    total += (wx - vx) ** 2 + (wy - vy) ** 2 + (wz - vz) ** 2
    if total == 0.0:
        return 0.0
    rms = total / 6.0
    return REGULAR * six / (rms * np.sqrt(rms))


@njit(cache=True)
def least_sine(p, a, b, c, d):
    """Least sine of the six dihedral angles, negative if inverted."""
    n = np.empty((4, 3))
    _face(p, b, d, c, n, 0)
    _face(p, a, c, d, n, 1)
    _face(p, a, d, b, n, 2)
    _face(p, a, b, c, n, 3)
    # normals point inward; the volume's sign from the last face
    six = (
        n[3, 0] * (p[d, 0] - p[a, 0])
        + n[3, 1] * (p[d, 1] - p[a, 1])
        + n[3, 2] * (p[d, 2] - p[a, 2])
    )
    nodes = (a, b, c, d)
    least = 2.0
    for i in range(4):
        for j in range(i):
            # faces i and j meet in the edge of the other two nodes
            k = 0
            while k == i or k == j:
                k += 1
            m = 6 - i - j - k
            length = 0.0
            ni = 0.0
            nj = 0.0
            for x in range(3):
                length += (p[nodes[k], x] - p[nodes[m], x]) ** 2
                ni += n[i, x] ** 2
                nj += n[j, x] ** 2
            product = np.sqrt(ni * nj)
            if product == 0.0:
                return 0.0
            # sin = 3 V l / (2 A_i A_j), with areas as halves of the normals' lengths
            least = min(least, six * np.sqrt(length) / product)
    return least


@njit(cache=True, inline="always")
def _face(p, a, b, c, n, row):
    ux = p[b, 0] - p[a, 0]
    uy = p[b, 1] - p[a, 1]
    uz = p[b, 2] - p[a, 2]
    vx = p[c, 0] - p[a, 0]
    vy = p[c, 1] - p[a, 1]
    vz = p[c, 2] - p[a, 2]
    n[row, 0] = uy * vz - uz * vy
    n[row, 1] = uz * vx - ux * vz
    n[row, 2] = ux * vy - uy * vx
