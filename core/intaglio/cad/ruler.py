"""Lengths between touched places of a CAD shape."""

import numpy as np
from numpy.typing import NDArray
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.gp import gp_Dir, gp_Lin, gp_Pnt
from OCP.IntCurvesFace import IntCurvesFace_ShapeIntersector
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from intaglio.cad.topology import edge_samples, explore

Floats = NDArray[np.float64]
# a ray starts this share of the model off its surface, and does not count what is nearer than that
_OFF = 1e-6
_SAME = 1e-7


def gap_between(one: TopoDS_Face, other: TopoDS_Face) -> float:
    """Least distance between two faces."""
    return float(BRepExtrema_DistShapeShape(one, other).Value())


def nearest_vertex_or_foot(face: TopoDS_Face, at: Floats, reach: float) -> Floats:
    """The face's vertex nearest to a place (3,) if it lies within reach, else the place's foot."""
    ends: list[Floats] = []
    for edge in explore(face, TopAbs_ShapeEnum.TopAbs_EDGE):
        ends += list(edge_samples(TopoDS.Edge_s(edge), 2))
    if ends:
        apart = np.linalg.norm(np.array(ends) - at, axis=1)
        if apart.min() < reach:
            return np.array(ends)[apart.argmin()]
    vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*(float(x) for x in at))).Vertex()
    p = BRepExtrema_DistShapeShape(vertex, face).PointOnShape2(1)
    return np.array([p.X(), p.Y(), p.Z()])


def distance_ahead(
    shape: TopoDS_Shape, start: Floats, direction: Floats, scale: float
) -> float | None:
    """Distance from a place on the surface along a unit direction (3,) to the next surface."""
    tool = IntCurvesFace_ShapeIntersector()
    tool.Load(shape, 1e-9 * scale)
    off = start + _OFF * scale * direction
    line = gp_Lin(gp_Pnt(*(float(x) for x in off)), gp_Dir(*(float(x) for x in direction)))
    tool.Perform(line, 0.0, 2 * scale)
    hits = [tool.WParameter(k + 1) for k in range(tool.NbPnt())]
    ahead = [h for h in hits if h > _SAME * scale]
    return float(min(ahead)) + _OFF * scale if ahead else None
