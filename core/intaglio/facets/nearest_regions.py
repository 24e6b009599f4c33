"""Which of several regions that were meshed as one a spot belongs to."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.facets.facets import Facets
from intaglio.numeric.boxtree import box_tree, nearest


@njit(cache=True)
def _regions_at(tree, spots, group, region):
    """Region of the facet of each spot's group that is nearest to it, or -1."""
    out = np.empty(spots.shape[0], np.int32)
    near = np.empty(3)
    for k in range(spots.shape[0]):
        t = nearest(tree, group[k], spots[k], near)
        out[k] = region[t] if t >= 0 else -1
    return out


def regions_at(
    facets: Facets, group: NDArray[np.int32], spots: NDArray[np.float64], own: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Region (n,) of the given facets nearest to each spot (n, 3) within the spot's group (n,)."""
    tree = box_tree(facets.points, facets.triangles, group[facets.region])
    return _regions_at(tree, np.ascontiguousarray(spots), own, facets.region)
