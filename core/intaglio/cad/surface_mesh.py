"""The surface mesh of a CAD body: remeshed from the kernel's facets, set onto the geometry."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from intaglio.cad.part import Part
from intaglio.cad.projection import onto_edge, onto_face
from intaglio.cad.tessellation import curve_edges
from intaglio.facets.facets import Curves, Facets, triangle_normals
from intaglio.facets.remesh import RemeshedSurface, remesh
from intaglio.facets.surface import ON_CURVE, ON_FACE
from intaglio.sizing.octree import SizeField


def exact_positions(part: Part, curves: Curves, surface: RemeshedSurface) -> RemeshedSurface:
    """Nodes on curves and faces moved onto the CAD geometry, where no triangle turns over by it."""
    points = surface.points.copy()
    edges = curve_edges(part)
    for c in np.unique(surface.owner[surface.kind == ON_CURVE]):
        nodes = np.flatnonzero((surface.kind == ON_CURVE) & (surface.owner == c))
        lo, hi = curves.start[c], curves.start[c + 1]
        at = np.interp(surface.arc[nodes], curves.arc[lo:hi], curves.parameter[lo:hi])
        points[nodes] = onto_edge(part, edges[c], at)
    for face in np.unique(surface.owner[surface.kind == ON_FACE]):
        nodes = np.flatnonzero((surface.kind == ON_FACE) & (surface.owner == face))
        points[nodes] = onto_face(part, int(face), points[nodes])
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
    part: Part,
    facets: Facets,
    curves: Curves,
    field: SizeField,
    progress: Callable[[float], None] = lambda share: None,
    passes: int = 9,
) -> RemeshedSurface:
    """Surface mesh of a closed CAD body to a size field; region numbers are its faces."""
    rough = remesh(facets, curves, field, lambda share: progress(0.95 * share), passes)
    return exact_positions(part, curves, rough)
