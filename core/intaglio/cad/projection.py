"""Moving surface nodes from the reference facets onto the exact CAD geometry."""

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.gp import gp_Ax3, gp_Pnt
from OCP.ShapeAnalysis import ShapeAnalysis_Surface

from intaglio.cad.normals import surface_of
from intaglio.cad.part import Part

Floats = NDArray[np.float64]


def _frame(axes: gp_Ax3) -> tuple[Floats, Floats]:
    o = axes.Location()
    rows = [axes.XDirection(), axes.YDirection(), axes.Direction()]
    return np.array([o.X(), o.Y(), o.Z()]), np.array([[d.X(), d.Y(), d.Z()] for d in rows])


def _radial(local: Floats) -> tuple[Floats, Floats]:
    r = np.hypot(local[:, 0], local[:, 1])
    safe = np.where(r > 0, r, 1.0)
    return r, local[:, :2] / safe[:, None]


def onto_face(part: Part, face: int, points: Floats) -> Floats:
    """Closest points (n, 3) on the face's surface; its boundary is not looked at."""
    surface = surface_of(part.faces[face])
    kind = surface.GetType()
    if kind == GeomAbs_SurfaceType.GeomAbs_Plane:
        origin, frame = _frame(surface.Plane().Position())
        return points - ((points - origin) @ frame[2])[:, None] * frame[2]
    if kind == GeomAbs_SurfaceType.GeomAbs_Cylinder:
        origin, frame = _frame(surface.Cylinder().Position())
        local = (points - origin) @ frame.T
        _, unit = _radial(local)
        local[:, :2] = unit * surface.Cylinder().Radius()
        return origin + local @ frame
    if kind == GeomAbs_SurfaceType.GeomAbs_Sphere:
        origin, _ = _frame(surface.Sphere().Position())
        d = points - origin
        return origin + d * (surface.Sphere().Radius() / np.linalg.norm(d, axis=1))[:, None]
    if kind == GeomAbs_SurfaceType.GeomAbs_Cone:
        cone = surface.Cone()
        origin, frame = _frame(cone.Position())
        local = (points - origin) @ frame.T
        r, unit = _radial(local)
        tan = np.tan(cone.SemiAngle())
        base = cone.RefRadius()
        # foot on the generating line r = base + z tan
        z = (local[:, 2] + (r - base) * tan) / (1 + tan * tan)
        local[:, :2] = unit * (base + z * tan)[:, None]
        local[:, 2] = z
        return origin + local @ frame
    if kind == GeomAbs_SurfaceType.GeomAbs_Torus:
        torus = surface.Torus()
        origin, frame = _frame(torus.Position())
        local = (points - origin) @ frame.T
        r, unit = _radial(local)
        across = np.stack([r - torus.MajorRadius(), local[:, 2]], axis=1)
        across *= (torus.MinorRadius() / np.linalg.norm(across, axis=1))[:, None]
        local[:, :2] = unit * (torus.MajorRadius() + across[:, 0])[:, None]
        local[:, 2] = across[:, 1]
        return origin + local @ frame
    tool = ShapeAnalysis_Surface(BRep_Tool.Surface_s(part.faces[face]))
    out = np.empty_like(points)
    for k, p in enumerate(points):
        uv = tool.ValueOfUV(gp_Pnt(*p), 1e-7)
        q = tool.Value(uv)
        out[k] = q.X(), q.Y(), q.Z()
    return out


def onto_edge(part: Part, edge: int, parameters: Floats) -> Floats:
    """Points (n, 3) of the edge's curve at its parameters (n,)."""
    curve = BRepAdaptor_Curve(part.edges[edge])
    values = [curve.Value(float(t)) for t in parameters]
    return np.array([[p.X(), p.Y(), p.Z()] for p in values]).reshape(-1, 3)
