"""What remeshing stays on: the facets and curves as they came, and the size field."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, box_tree
from intaglio.numeric.inlining import inlined
from intaglio.remeshing.surface import ON_CURVE
from intaglio.sizing.octree import SizeField
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.flatness import flat_regions, region_normals
from intaglio.triangles.measures import triangle_normals


class Reference(NamedTuple):
    """The facets and curves that nodes return to; see `Curves` for the last four."""

    field: SizeField
    tree: BoxTree  # over the facets, by region
    flat: NDArray[np.bool_]  # (regions,) whether a region is plane
    plane: NDArray[np.float64]  # (regions, 3) mean unit normal
    facing: NDArray[np.float64]  # (m, 3) unit normals of the facets
    held: NDArray[np.bool_]  # (curves,) whether the nodes of a curve must stay
    start: NDArray[np.int32]
    line: NDArray[np.float64]  # (n, 3) points of the curves
    arc: NDArray[np.float64]  # (n,)
    ends: NDArray[np.int32]  # (curves, 2)


def reference(
    facets: Facets, curves: Curves, field: SizeField, held: NDArray[np.bool_]
) -> Reference:
    """The reference for remeshing these facets; held (curves,) tells whose nodes must stay."""
    return Reference(
        field,
        box_tree(facets.points, facets.triangles, facets.region),
        flat_regions(facets),
        region_normals(facets),
        triangle_normals(facets.points, facets.triangles),
        held,
        curves.start,
        curves.points,
        curves.arc,
        curves.ends,
    )


@inlined
def on_curve(start, line, arc, c, at, out):
    """Point of curve c at arc length `at` into out."""
    lo = start[c]
    hi = start[c + 1] - 1
    while hi - lo > 1:
        middle = (lo + hi) // 2
        if arc[middle] <= at:
            lo = middle
        else:
            hi = middle
    span = arc[hi] - arc[lo]
    r = (at - arc[lo]) / span if span > 0 else 0.0
    r = min(max(r, 0.0), 1.0)
    for i in range(3):
        out[i] = line[lo, i] * (1 - r) + line[hi, i] * r


@inlined
def arc_of(s, ref, c, v, partner):
    """Arc length of node v on curve c; a closed curve's corner takes the end near its partner."""
    if s.kind[v] == ON_CURVE:
        return s.arc[v]
    length = ref.arc[ref.start[c + 1] - 1]
    if ref.ends[c, 0] != ref.ends[c, 1]:
        return 0.0 if ref.ends[c, 0] == v else length
    if s.kind[partner] == ON_CURVE:
        return 0.0 if s.arc[partner] < 0.5 * length else length
    return 0.0
