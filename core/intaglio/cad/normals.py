"""Normals of faces, out of the material."""

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp_Face
from OCP.gp import gp_Pnt, gp_Vec
from OCP.ShapeAnalysis import ShapeAnalysis_Surface
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopoDS import TopoDS_Face

Floats = NDArray[np.float64]


def plane_normal(face: TopoDS_Face) -> Floats:
    """Unit normal of a planar face, out of the material."""
    d = BRepAdaptor_Surface(face).Plane().Axis().Direction()
    normal = np.array([d.X(), d.Y(), d.Z()])
    plane_flipped = not BRepAdaptor_Surface(face).Plane().Direct()
    if plane_flipped:
        normal = -normal
    return -normal if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else normal


def face_normal(face: TopoDS_Face, at: Floats) -> Floats:
    """Unit normal (3,) out of the material at the point of the face nearest to `at`."""
    uv = ShapeAnalysis_Surface(BRep_Tool.Surface_s(face)).ValueOfUV(
        gp_Pnt(*(float(x) for x in at)), 1e-7
    )
    p, n = gp_Pnt(), gp_Vec()
    BRepGProp_Face(face).Normal(uv.X(), uv.Y(), p, n)
    v = np.array([n.X(), n.Y(), n.Z()])
    length = float(np.linalg.norm(v))
    return v / length if length > 0 else v
