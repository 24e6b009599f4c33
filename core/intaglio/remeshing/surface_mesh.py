"""The surface mesh of facets: faces joined where edges have no meaning, and remeshed."""

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from intaglio.remeshing.nearest_regions import regions_at
from intaglio.remeshing.remesh import RemeshedSurface, remesh
from intaglio.remeshing.rims import parted_at_rims
from intaglio.remeshing.surface import ON_CURVE, ON_FACE
from intaglio.sizing.octree import SizeField
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.seams import Walked

# a mesh and the region of each node on a face, to the mesh on the exact geometry
Settle = Callable[[RemeshedSurface, NDArray[np.int32]], RemeshedSurface]


def mesh_surface(
    facets: Facets,
    curves: Curves,
    field: SizeField,
    progress: Callable[[float], None] = lambda share: None,
    passes: int = 9,
    counted: Mapping[int, NDArray[np.float64]] | None = None,
    walk: Walked | None = None,
    settle: Settle | None = None,
) -> RemeshedSurface:
    """Surface mesh to a size field; numbers of regions and curves are those of facets and curves.

    counted: arc lengths of the nodes of some curves. walk: what is meshed instead, where seams are
    walked over; its regions are told apart again at the end. settle: sets the nodes onto the exact
    geometry.
    """
    base, lines, fixed = facets, curves, dict(counted or {})
    if walk is not None:
        place = walk.place()
        base, lines = walk.facets, walk.curves
        fixed = {place[c]: at for c, at in fixed.items()}
    rough = remesh(base, lines, field, lambda share: progress(0.95 * share), passes, fixed)
    face = rough.owner
    if walk is not None:
        rough, face = _told_apart(facets, walk, rough)
    rough = parted_at_rims(rough, curves)
    # the nodes made there are on faces by their owner, or on curves
    face = np.concatenate([face, rough.owner[len(face) :]])
    return rough if settle is None else settle(rough, face)


def _told_apart(
    facets: Facets, walk: Walked, rough: RemeshedSurface
) -> tuple[RemeshedSurface, NDArray[np.int32]]:
    """The mesh with former regions and curves, and the region of each node on a face."""
    centre = rough.points[rough.triangles].mean(axis=1)
    owner, arc = rough.owner.copy(), rough.arc.copy()
    nodes = np.flatnonzero(rough.kind == ON_FACE)
    owner[nodes] = regions_at(facets, walk.group, rough.points[nodes], rough.owner[nodes])
    on = np.flatnonzero(rough.kind == ON_CURVE)
    owner[on], arc[on] = walk.former(rough.owner[on], rough.arc[on])
    apart = replace(
        rough,
        region=regions_at(facets, walk.group, centre, rough.region),
        owner=owner,
        arc=arc,
        # a joined curve is called by its first piece
        edge_curve=walk.piece[walk.start[rough.edge_curve]],
    )
    return apart, owner
