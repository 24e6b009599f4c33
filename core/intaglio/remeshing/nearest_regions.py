"""Which of several regions that were meshed as one a spot belongs to."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.boxtree import box_tree, nearest
from intaglio.numeric.chunks import in_chunks
from intaglio.triangles.facets import Facets


@njit(cache=True, nogil=True)
def _regions_at(tree, spots, group, region, out, start, end):
    """Region of the facet of each spot's group that is nearest to it, into out, or -1."""
    near = np.empty(3)
    for k in range(start, end):
        t = nearest(tree, group[k], spots[k], near)
        out[k] = region[t] if t >= 0 else -1


def regions_at(
    facets: Facets, group: NDArray[np.int32], spots: NDArray[np.float64], own: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Region (n,) of the given facets nearest to each spot (n, 3) within the spot's group (n,)."""
    tree = box_tree(facets.points, facets.triangles, group[facets.region])
    # most groups are one region alone, and no search is needed
    used = np.unique(facets.region)
    out = np.full(int(group.max()) + 1, -1, np.int32)
    out[group[used]] = used
    alone = np.bincount(group[used], minlength=len(out)) == 1
    found = out[own]
    rows = np.flatnonzero(~alone[own])
    at, of, into = np.ascontiguousarray(spots[rows]), own[rows], np.empty(len(rows), np.int32)
    in_chunks(
        lambda start, end: _regions_at(tree, at, of, facets.region, into, start, end), len(rows)
    )
    found[rows] = into
    return found
