"""A surface mesh set onto the exact geometry of CAD."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from intaglio.cad.part import Part
from intaglio.cad.projection import onto_edge, onto_face
from intaglio.cad.tessellation import curve_edges
from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.remeshing.surface import ON_CURVE, ON_FACE
from intaglio.triangles.facets import Curves
from intaglio.triangles.measures import triangle_normals


def exact_positions(
    part: Part, curves: Curves, surface: RemeshedSurface, face: NDArray[np.int32]
) -> RemeshedSurface:
    """Nodes on curves and faces moved onto the CAD geometry, where no triangle turns over by it.

    curves are those of `curve_edges`; face (n,): of nodes on faces.
    """
    points = surface.points.copy()
    edges = curve_edges(part)
    for c in np.unique(surface.owner[surface.kind == ON_CURVE]):
        nodes = np.flatnonzero((surface.kind == ON_CURVE) & (surface.owner == c))
        lo, hi = curves.start[c], curves.start[c + 1]
        at = np.interp(surface.arc[nodes], curves.arc[lo:hi], curves.parameter[lo:hi])
        points[nodes] = onto_edge(part, edges[c], at)
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
