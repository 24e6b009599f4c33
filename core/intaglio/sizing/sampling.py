"""Points on facets, close enough to see what a size asks for."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.triangles.facets import Facets

Floats = NDArray[np.float64]


@njit(cache=True)
def _sample(points, triangles, spacing, out_points, out_triangle, out_weight):
    """Rows of points parallel to each triangle's longest edge; only counts if out is empty."""
    n = 0
    length = np.empty(3)
    for t in range(triangles.shape[0]):
        h = spacing[t]
        for i in range(3):
            u = triangles[t, (i + 1) % 3]
            v = triangles[t, (i + 2) % 3]
            length[i] = np.sqrt(
                (points[u, 0] - points[v, 0]) ** 2
                + (points[u, 1] - points[v, 1]) ** 2
                + (points[u, 2] - points[v, 2]) ** 2
            )
        apex = int(np.argmax(length))
        base = length[apex]
        half = 0.5 * length.sum()
        square = half * (half - length[0]) * (half - length[1]) * (half - length[2])
        height = 2.0 * np.sqrt(max(square, 0.0)) / base
        rows = int(min(400.0, np.ceil(height / h)))
        for j in range(rows + 1):
            down = j / rows if rows > 0 else 1.0
            across = max(1, int(min(400.0, np.ceil(base * down / h))))
            for i in range(across + 1):
                if out_triangle.size > 0:
                    weight = np.zeros(3)
                    weight[apex] = 1.0 - down
                    weight[(apex + 1) % 3] = down * (1.0 - i / across)
                    weight[(apex + 2) % 3] = down * i / across
                    for k in range(3):
                        for c in range(3):
                            out_points[n, k] += weight[c] * points[triangles[t, c], k]
                    out_triangle[n] = t
                    out_weight[n, 0] = weight[1]
                    out_weight[n, 1] = weight[2]
                n += 1
    return n


def sample_facets(
    facets: Facets, spacing: Floats, chosen: NDArray[np.int64] | None = None
) -> tuple[Floats, NDArray[np.int32], Floats]:
    """Points (n, 3) on triangles about `spacing` (per triangle) apart, their triangle and weights.

    chosen (k,): on these triangles only; spacing is then theirs.
    """
    own = facets.triangles if chosen is None else facets.triangles[chosen]
    empty = np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros((0, 2))
    n = _sample(facets.points, own, spacing, *empty)
    spot, row, weight = np.zeros((n, 3)), np.zeros(n, np.int32), np.zeros((n, 2))
    _sample(facets.points, own, spacing, spot, row, weight)
    return spot, row if chosen is None else chosen[row].astype(np.int32), weight
