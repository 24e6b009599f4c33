"""Moving surface nodes from the reference facets onto the exact CAD geometry."""

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.gp import gp_Ax3, gp_Pnt, gp_Vec
from OCP.ShapeAnalysis import ShapeAnalysis_Surface
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Face
from scipy.spatial import cKDTree

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
    return _onto_free_form(part.faces[face], surface, points)


def _onto_free_form(face: TopoDS_Face, surface: BRepAdaptor_Surface, points: Floats) -> Floats:
    """Closest points (n, 3) by steps from the nearest node of the face's last tessellation; by the
    kernel's own search, which takes a hundred times as long, where they lead nowhere."""
    known, parameters = _tessellated(face)
    tool = ShapeAnalysis_Surface(BRep_Tool.Surface_s(face))
    out = np.empty_like(points)
    if len(known):
        away, start = cKDTree(known).query(points)
    for k, p in enumerate(points):
        foot = None
        if len(known):
            u, v = parameters[start[k]]
            foot = _foot(surface, float(u), float(v), gp_Pnt(*p), float(away[k]))
        if foot is None:
            foot = tool.Value(tool.ValueOfUV(gp_Pnt(*p), 1e-7))
        out[k] = foot.X(), foot.Y(), foot.Z()
    return out


def _tessellated(face: TopoDS_Face) -> tuple[Floats, Floats]:
    """Nodes (n, 3) of the tessellation that the face holds, and their parameters (n, 2)."""
    location = TopLoc_Location()
    mesh = BRep_Tool.Triangulation_s(face, location)
    if mesh is None or not mesh.HasUVNodes():
        return np.zeros((0, 3)), np.zeros((0, 2))
    place = location.Transformation()
    numbers = range(1, mesh.NbNodes() + 1)
    nodes = [mesh.Node(i).Transformed(place) for i in numbers]
    uv = [mesh.UVNode(i) for i in numbers]
    return (
        np.array([(p.X(), p.Y(), p.Z()) for p in nodes]).reshape(-1, 3),
        np.array([(p.X(), p.Y()) for p in uv]).reshape(-1, 2),
    )


_STEPS = 12
# a step shorter than this share of the way to the nearest node changes nothing
_SETTLED = 1e-7


def _foot(
    surface: BRepAdaptor_Surface, u: float, v: float, p: gp_Pnt, away: float
) -> gp_Pnt | None:
    """The closest point to p by Gauss-Newton steps from (u, v), which lies `away` from p; None if
    they do not settle nearer than that, or leave the surface."""
    low_u, high_u = surface.FirstUParameter(), surface.LastUParameter()
    low_v, high_v = surface.FirstVParameter(), surface.LastVParameter()
    q, along_u, along_v = gp_Pnt(), gp_Vec(), gp_Vec()
    for _ in range(_STEPS):
        surface.D1(u, v, q, along_u, along_v)
        rest = gp_Vec(q, p)
        uu, uv, vv = along_u.Dot(along_u), along_u.Dot(along_v), along_v.Dot(along_v)
        area = uu * vv - uv * uv
        if area <= 1e-12 * uu * vv:
            return None
        one, other = rest.Dot(along_u), rest.Dot(along_v)
        du, dv = (one * vv - other * uv) / area, (other * uu - one * uv) / area
        u, v = u + du, v + dv
        if not (low_u <= u <= high_u and low_v <= v <= high_v):
            return None
        if du * du * uu + dv * dv * vv <= (_SETTLED * away) ** 2:
            surface.D0(u, v, q)
            return q if q.Distance(p) <= away else None
    return None


def onto_edge(part: Part, edge: int, parameters: Floats) -> Floats:
    """Points (n, 3) of the edge's curve at its parameters (n,)."""
    curve = BRepAdaptor_Curve(part.edges[edge])
    values = [curve.Value(float(t)) for t in parameters]
    return np.array([[p.X(), p.Y(), p.Z()] for p in values]).reshape(-1, 3)
