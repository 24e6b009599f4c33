"""Quality of triangles by their textbook definitions.

Source of the aspect ratio: P. M. Knupp et al., "The Verdict geometric quality library"
(SAND2007-1751).
"""

import numpy as np
from numpy.typing import NDArray

from intaglio.quality.catalogue import Metric

Floats = NDArray[np.float64]

# metrics of a surface mesh, in the order of the report
SURFACE_METRICS = (
    Metric("smallest_angle", "Smallest angle", "°", False, meaning="Least angle of the triangle."),
    Metric("largest_angle", "Largest angle", "°", True, meaning="Largest angle of the triangle."),
    Metric("aspect_ratio", "Aspect ratio", "", True, ratio=True,
           meaning="Longest edge over the inscribed circle's radius; 1 if equilateral."),
    Metric("edge_ratio", "Edge over wanted edge", "", True, ratio=True,
           meaning="Length of an edge over what the size field asks for at its middle: the "
           "largest of the triangle's three."),
    Metric("deviation", "Deviation from the geometry", "", True,
           meaning="Distance of the triangle's middle from the geometry over its mean edge."),
)  # fmt: skip


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


def triangle_aspect(points: Floats, triangles: NDArray[np.int32]) -> Floats:
    """Aspect ratio (m,) of triangles: longest edge / (2√3 r), r of the inscribed circle; over
    1e29 for one without an area."""
    p = points[triangles]
    edge = np.stack([np.linalg.norm(p[:, (i + 1) % 3] - p[:, i], axis=1) for i in range(3)], axis=1)
    twice = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    least = 1e-30 * edge.max(axis=1) ** 2
    out: Floats = edge.max(axis=1) * edge.sum(axis=1) / (2.0 * np.sqrt(3.0))
    return np.minimum(out / np.maximum(np.maximum(twice, least), 1e-300), 1e30)


def mean_edge(points: Floats, triangles: NDArray[np.int32]) -> Floats:
    """Mean length (m,) of each triangle's edges."""
    p = points[triangles]
    out: Floats = np.mean(
        [np.linalg.norm(p[:, (i + 1) % 3] - p[:, i], axis=1) for i in range(3)], axis=0
    )
    return out
