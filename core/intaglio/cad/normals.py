"""Normals of faces, out of the material."""

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.gp import gp_Pnt, gp_Vec
from OCP.ShapeAnalysis import ShapeAnalysis_Surface
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopoDS import TopoDS_Face

Floats = NDArray[np.float64]


def surface_of(face: TopoDS_Face) -> BRepAdaptor_Surface:
    """A face's surface, whole: its limits on the face would cost a look at every edge."""
    return BRepAdaptor_Surface(face, False)


def plane_normal(face: TopoDS_Face) -> Floats:
    """Unit normal of a planar face, out of the material."""
    plane = surface_of(face).Plane()
    d = plane.Axis().Direction()
    normal = np.array([d.X(), d.Y(), d.Z()])
    if not plane.Direct():
        normal = -normal
    return -normal if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else normal


def face_normal(face: TopoDS_Face, at: Floats) -> Floats:
    """Unit normal (3,) out of the material at the point of the face nearest to `at`."""
    uv = ShapeAnalysis_Surface(BRep_Tool.Surface_s(face)).ValueOfUV(
        gp_Pnt(*(float(x) for x in at)), 1e-7
    )
    p, du, dv = gp_Pnt(), gp_Vec(), gp_Vec()
    surface_of(face).D1(uv.X(), uv.Y(), p, du, dv)
    n = du.Crossed(dv)
    v = np.array([n.X(), n.Y(), n.Z()])
    if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED:
        v = -v
    length = float(np.linalg.norm(v))
    return v / length if length > 0 else v
