"""How far the surface turns across an edge of CAD, along the whole of it."""

import math

import numpy as np
from numpy.typing import NDArray
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Curve2d
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopoDS import TopoDS_Edge, TopoDS_Face

from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.cad.normals import surface_of
from intaglio.cad.part import Part

Floats = NDArray[np.float64]

# places along an edge, as shares of its parameters; its ends are often those of a surface too
_PLACES = (0.02, 0.2, 0.4, 0.6, 0.8, 0.98)


def _normals_along(edge: TopoDS_Edge, face: TopoDS_Face) -> Floats:
    """Outward unit normals (6, 3) of a face at places along its edge; nan where it has none."""
    line, surface = BRepAdaptor_Curve2d(edge, face), surface_of(face)
    ends = BRepAdaptor_Curve(edge)
    first, last = ends.FirstParameter(), ends.LastParameter()
    way = -1.0 if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else 1.0
    out = np.full((len(_PLACES), 3), np.nan)
    spot, along_u, along_v = gp_Pnt(), gp_Vec(), gp_Vec()
    for k, share in enumerate(_PLACES):
        uv = line.Value(first + share * (last - first))
        surface.D1(uv.X(), uv.Y(), spot, along_u, along_v)
        normal = along_u.Crossed(along_v)
        length = normal.Magnitude()
        if length > 1e-9 * along_u.Magnitude() * along_v.Magnitude() and length > 0:
            out[k] = way * np.array([normal.X(), normal.Y(), normal.Z()]) / length
    return out


def edge_turns(part: Part, edges: list[int], faces: NDArray[np.int64]) -> Floats:
    """Largest angle (rad) between the two faces (n, 2) at each of n edges; π where it is unknown.

    Normals are those of the surfaces where the edge runs, by its curves in their parameters.
    """
    out = np.full(len(edges), math.pi)
    for k, (e, (a, b)) in enumerate(zip(edges, faces.tolist(), strict=True)):
        if a < 0 or b < 0:
            continue
        edge = part.edges[e]
        try:
            one, other = (_normals_along(edge, part.faces[f]) for f in (a, b))
        except KERNEL_ERRORS:
            continue
        cross = np.linalg.norm(np.cross(one, other), axis=1)
        turn = np.arctan2(cross, np.einsum("ij,ij->i", one, other))
        turn = turn[np.isfinite(turn)]
        if len(turn):
            out[k] = float(turn.max())
    return out
