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
