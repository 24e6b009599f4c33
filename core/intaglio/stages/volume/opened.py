"""The picture of a mesh opened through its middle, so that its inside shows."""

import numpy as np

from intaglio.mesh.mesh import Floats, Mesh, fan, polygon_edges
from intaglio.mesh.slices import outer_faces
from intaglio.parts.picture import picture


def opened_picture(
    mesh: Mesh, middle: Floats, across: float, width: int = 480, height: int = 210
) -> bytes:
    """PNG of the cells whose middle (c, 3) lies beyond y = across."""
    outline = outer_faces(mesh, np.flatnonzero(middle[:, 1] > across))
    triangles, _ = fan(outline.start, outline.nodes)
    edges = polygon_edges(outline.start, outline.nodes)
    none = np.zeros((0, 2, 3))
    return picture(mesh.points, triangles, none, mesh.points[edges], width, height)
