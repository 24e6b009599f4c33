"""The surface mesh of facets: faces of one patch joined where they run on, and remeshed."""

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from intaglio.facets.facets import Curves, Facets
from intaglio.facets.remesh import RemeshedSurface, remesh
from intaglio.facets.seams import merged_regions, regions_at, without_inner_curves
from intaglio.facets.surface import ON_FACE
from intaglio.sizing.octree import SizeField

Settle = Callable[[Curves, RemeshedSurface, NDArray[np.int64], NDArray[np.int32]], RemeshedSurface]


def mesh_surface(
    facets: Facets,
    curves: Curves,
    field: SizeField,
    progress: Callable[[float], None] = lambda share: None,
    passes: int = 9,
    counted: Mapping[int, NDArray[np.float64]] | None = None,
    label: NDArray[np.int32] | None = None,
    walk_over: float = 0.0,
    settle: Settle | None = None,
) -> RemeshedSurface:
    """Surface mesh to a size field; region numbers are those of the facets.

    counted: arc lengths of the nodes of some curves. Regions of equal label (regions,) that meet at
    less than walk_over (rad) are meshed as one; counted curves always stay. settle: sets the nodes
    onto the exact geometry, given the curves, the mesh, the number of each curve and the face of
    each node.
    """
    regions = int(facets.region.max()) + 1
    group = np.arange(regions, dtype=np.int32)
    if walk_over > 0:
        own = np.arange(regions, dtype=np.int32) if label is None else label
        kept = np.isin(curves.edge_curve, list(counted or {}), invert=True)
        free = replace(
            curves, edge_nodes=curves.edge_nodes[kept], edge_curve=curves.edge_curve[kept]
        )
        group = merged_regions(facets, free, own, walk_over)
    base, lines, numbers = facets, curves, np.arange(len(curves.ends))
    if group.max() + 1 < regions:
        base, lines, numbers = without_inner_curves(facets, curves, group)
    place = {int(c): k for k, c in enumerate(numbers)}
    fixed = {place[c]: at for c, at in (counted or {}).items() if c in place}
    rough = remesh(base, lines, field, lambda share: progress(0.95 * share), passes, fixed)
    face = rough.owner
    if base is not facets:
        centre = rough.points[rough.triangles].mean(axis=1)
        face = rough.owner.copy()
        nodes = np.flatnonzero(rough.kind == ON_FACE)
        face[nodes] = regions_at(facets, group, rough.points[nodes], rough.owner[nodes])
        rough = replace(rough, region=regions_at(facets, group, centre, rough.region))
    return rough if settle is None else settle(lines, rough, numbers, face)
