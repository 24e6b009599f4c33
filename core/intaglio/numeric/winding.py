"""Winding numbers: how often a closed surface goes around a point.

Source: A. Van Oosterom, J. Strackee, "The solid angle of a plane triangle", IEEE Trans. Biomed.
Eng. 30 (1983); summed over triangles as by A. Jacobson et al., "Robust inside-outside segmentation
using generalized winding numbers", ACM Trans. Graph. 32 (2013).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray


@njit(cache=True)
def _winding(p, t, spot, out):
    """Sum of the signed solid angles of the triangles at each spot, over 4π."""
    for k in range(spot.shape[0]):
        total = 0.0
        for j in range(t.shape[0]):
            ax = p[t[j, 0], 0] - spot[k, 0]
            ay = p[t[j, 0], 1] - spot[k, 1]
            az = p[t[j, 0], 2] - spot[k, 2]
            bx = p[t[j, 1], 0] - spot[k, 0]
            by = p[t[j, 1], 1] - spot[k, 1]
            bz = p[t[j, 1], 2] - spot[k, 2]
            cx = p[t[j, 2], 0] - spot[k, 0]
            cy = p[t[j, 2], 1] - spot[k, 1]
            cz = p[t[j, 2], 2] - spot[k, 2]
            la = np.sqrt(ax * ax + ay * ay + az * az)
            lb = np.sqrt(bx * bx + by * by + bz * bz)
            lc = np.sqrt(cx * cx + cy * cy + cz * cz)
            det = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
            ab = ax * bx + ay * by + az * bz
            bc = bx * cx + by * cy + bz * cz
            ca = cx * ax + cy * ay + cz * az
            total += np.arctan2(det, la * lb * lc + ab * lc + bc * la + ca * lb)
        out[k] = total / (2 * np.pi)


def winding_numbers(
    points: NDArray[np.float64], triangles: NDArray[np.int32], spots: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Winding number (k,) of the surface around each spot (k, 3): 1 inside a closed, outward
    surface, 0 outside, between for an open one."""
    out = np.empty(len(spots))
    _winding(
        np.ascontiguousarray(points),
        np.ascontiguousarray(triangles),
        np.ascontiguousarray(spots, np.float64),
        out,
    )
    return out
