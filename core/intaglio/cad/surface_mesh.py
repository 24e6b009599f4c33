"""The surface mesh of a CAD body: remeshed from the kernel's facets, set onto the geometry."""

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from intaglio.cad.part import Part
from intaglio.cad.projection import onto_edge, onto_face
from intaglio.cad.tessellation import curve_edges
from intaglio.facets.facets import Curves, Facets, triangle_normals
from intaglio.facets.remesh import RemeshedSurface, remesh
from intaglio.facets.seams import merged_regions, regions_at, without_inner_curves
from intaglio.facets.surface import ON_CURVE, ON_FACE
from intaglio.sizing.octree import SizeField


def exact_positions(
    part: Part,
    curves: Curves,
    surface: RemeshedSurface,
    curve_numbers: NDArray[np.int64],
    face: NDArray[np.int32],
) -> RemeshedSurface:
    """Nodes on curves and faces moved onto the CAD geometry, where no triangle turns over by it.

    curve_numbers (curves,): each curve's place among `curve_edges`; face (n,): of nodes on faces.
    """
    points = surface.points.copy()
    edges = curve_edges(part)
    for c in np.unique(surface.owner[surface.kind == ON_CURVE]):
        nodes = np.flatnonzero((surface.kind == ON_CURVE) & (surface.owner == c))
        lo, hi = curves.start[c], curves.start[c + 1]
        at = np.interp(surface.arc[nodes], curves.arc[lo:hi], curves.parameter[lo:hi])
        points[nodes] = onto_edge(part, edges[curve_numbers[c]], at)
    on_face = surface.kind == ON_FACE
    for number in np.unique(face[on_face]):
        nodes = np.flatnonzero(on_face & (face == number))
        points[nodes] = onto_face(part, int(number), points[nodes])
    # a projection may jump (a point on an axis, a surface folded back): take it only where small
    moved = np.linalg.norm(points - surface.points, axis=1)
    corner = surface.points[surface.triangles]
    edge = np.linalg.norm(corner - np.roll(corner, 1, axis=1), axis=2).min(axis=1)
    room = np.full(len(points), np.inf)
    for i in range(3):
        np.minimum.at(room, surface.triangles[:, i], edge)
    points[~(moved < 0.35 * room)] = surface.points[~(moved < 0.35 * room)]
    before = triangle_normals(surface.points, surface.triangles)
    for _ in range(20):
        after = triangle_normals(points, surface.triangles)
        turned = np.einsum("ij,ij->i", before, after) < 0.5
        if not turned.any():
            break
        back = np.unique(surface.triangles[turned])
        points[back] = surface.points[back]
    return replace(surface, points=points)


def mesh_surface(
    part: Part | None,
    facets: Facets,
    curves: Curves,
    field: SizeField,
    progress: Callable[[float], None] = lambda share: None,
    passes: int = 9,
    counted: Mapping[int, NDArray[np.float64]] | None = None,
    label: NDArray[np.int32] | None = None,
    walk_over: float = 0.0,
) -> RemeshedSurface:
    """Surface mesh to a size field; region numbers are those of the facets.

    part: the CAD whose faces and edges the nodes are set onto, if there is one. counted: arc
    lengths of the nodes of some curves. Regions of equal label (regions,) that meet at less than
    walk_over (rad) are meshed as one; counted curves always stay.
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
    if part is None:
        return rough
    return exact_positions(part, lines, rough, numbers, face)
