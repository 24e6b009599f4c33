"""Quality of triangles by their textbook definitions."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def triangle_angles(points: Floats, triangles: NDArray[np.int32]) -> Floats:
    """Angles (m, 3) of triangles in degrees."""
    p = points[triangles]
    out = np.empty((len(triangles), 3))
    for i in range(3):
        u = p[:, (i + 1) % 3] - p[:, i]
        v = p[:, (i + 2) % 3] - p[:, i]
        product = np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
        cosine = np.einsum("ij,ij->i", u, v) / np.where(product > 0, product, 1.0)
        out[:, i] = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    return out
