"""Areas and normals of triangles, and the volume that they enclose."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


def triangle_areas(points: Floats, triangles: Ints) -> Floats:
    """Areas (m,) of triangles, in unit²."""
    a, b, c = (points[triangles[:, i]] for i in range(3))
    return 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)


def triangle_normals(points: Floats, triangles: Ints) -> Floats:
    """Unit normals (m, 3); zero for a triangle without area."""
    a, b, c = (points[triangles[:, i]] for i in range(3))
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1)
    return normal / np.where(length > 0, length, 1.0)[:, None]


def enclosed_volume(points: Floats, triangles: Ints) -> float:
    """Volume inside a closed, outward surface by the divergence theorem, in unit³."""
    origin = points[triangles].mean(axis=(0, 1))
    a, b, c = (points[triangles[:, i]] - origin for i in range(3))
    return float(np.einsum("ij,ij->i", np.cross(a, b), c).sum() / 6.0)


def inner_angles(points: Floats, triangles: Ints, edges: Ints, pairs: NDArray[np.int64]) -> Floats:
    """Angle (k,) in rad between the two triangles pairs (k, 2) at each edge (k, 2), however they
    are turned: π where they lie in one plane beside each other, 0 where one lies on the other."""
    base = points[edges[:, 0]]
    along = points[edges[:, 1]] - base
    along /= np.maximum(np.linalg.norm(along, axis=1), 1e-300)[:, None]
    away = []
    for own in pairs.T:
        row = triangles[own]
        # the three nodes of a triangle but for those of the edge
        tip = points[row.sum(axis=1) - edges.sum(axis=1)] - base
        tip -= np.einsum("ij,ij->i", tip, along)[:, None] * along
        away.append(tip / np.maximum(np.linalg.norm(tip, axis=1), 1e-300)[:, None])
    cosine = np.einsum("ij,ij->i", *away)
    out: Floats = np.arccos(np.clip(cosine, -1.0, 1.0))
    return out
