"""Fewer triangles for a screen: nodes that lie in one box of a grid become one (vertex clustering,
Rossignac & Borrel 1993, "Multi-resolution 3D approximations for rendering complex scenes").

Only what is drawn is thinned; nothing is computed from it.
"""

import numpy as np
from numpy.typing import NDArray

Arrays = dict[str, NDArray[np.generic]]

# a surface with more triangles than this is thinned before it is drawn
MOST_DRAWN = 400_000
_ROUNDS = 12


def thinned(arrays: Arrays, most: int = MOST_DRAWN) -> tuple[Arrays, bool]:
    """The same surface with at most so many triangles if it can be, and whether any were left out.
    arrays: points (n, 3), triangles (m, 3), region (m,), sides (m,) as for the screen."""
    triangles = np.asarray(arrays["triangles"])
    if len(triangles) <= most:
        return arrays, False
    points, region = np.asarray(arrays["points"], float), np.asarray(arrays["region"])
    corner = points[triangles]
    area = (
        0.5
        * np.linalg.norm(
            np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1
        ).sum()
    )
    # about two triangles for each box that the surface passes
    edge = np.sqrt(2.0 * area / most)
    low = points.min(axis=0)
    for _ in range(_ROUNDS):
        kept, node = _clustered(points, triangles, low, edge)
        if len(kept) <= most:
            break
        edge *= 1.25
    used, local = np.unique(node[triangles[kept]], return_inverse=True)
    return {
        "points": points[used].astype(np.float32),
        "triangles": local.reshape(-1, 3).astype(np.int32),
        "sides": np.full(len(kept), 7, np.uint8),
        "region": region[kept],
    }, True


def _clustered(
    points: NDArray[np.float64],
    triangles: NDArray[np.generic],
    low: NDArray[np.float64],
    edge: float,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Triangles (k,) that stay ones, each once; and the node (n,) that stands for each."""
    box = np.floor((points - low) / edge).astype(np.int64)
    _, first, own = np.unique(box @ [1 << 42, 1 << 21, 1], return_index=True, return_inverse=True)
    node = first[own.ravel()]
    moved = node[triangles]
    open_ = (
        (moved[:, 0] != moved[:, 1]) & (moved[:, 1] != moved[:, 2]) & (moved[:, 2] != moved[:, 0])
    )
    alive = np.flatnonzero(open_)
    _, once = np.unique(np.sort(moved[alive], axis=1), axis=0, return_index=True)
    return alive[np.sort(once)], node
