"""Which regions of facets lie in one plane, and how they face."""

import numpy as np
from numpy.typing import NDArray

from intaglio.triangles.facets import Facets
from intaglio.triangles.measures import triangle_areas, triangle_normals


def region_normals(facets: Facets) -> NDArray[np.float64]:
    """Mean unit normal (r, 3) of each region's facets."""
    regions = int(facets.region.max()) + 1
    normal = triangle_normals(facets.points, facets.triangles)
    area = triangle_areas(facets.points, facets.triangles)
    mean = np.stack(
        [np.bincount(facets.region, normal[:, i] * area, regions) for i in range(3)], axis=1
    )
    length = np.linalg.norm(mean, axis=1)
    whole = np.bincount(facets.region, area, regions)
    sound = length > 1e-6 * whole
    return np.where(sound[:, None], mean, 0.0) / np.where(sound, length, 1.0)[:, None]


def flat_regions(facets: Facets) -> NDArray[np.bool_]:
    """Regions (r,) whose facets lie in one plane, to a millionth of the model."""
    regions = int(facets.region.max()) + 1
    mean = region_normals(facets)
    height = np.einsum("tij,tj->ti", facets.points[facets.triangles], mean[facets.region])
    low, high = np.full(regions, np.inf), np.full(regions, -np.inf)
    np.minimum.at(low, facets.region, height.min(axis=1))
    np.maximum.at(high, facets.region, height.max(axis=1))
    scale = np.linalg.norm(np.ptp(facets.points, axis=0))
    # the normals of a closed region cancel
    return (high - low <= 1e-6 * scale) & (np.linalg.norm(mean, axis=1) > 0.5)
