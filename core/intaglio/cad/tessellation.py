"""The kernel's tessellation as one welded surface with feature curves and curvature."""

import math

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepLProp import BRepLProp_CLProps, BRepLProp_SLProps
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face

from intaglio.cad.face_names import diagonal
from intaglio.cad.measures import centroid
from intaglio.cad.normals import surface_of
from intaglio.cad.part import Part
from intaglio.errors import StepFailed
from intaglio.triangles.facets import Curves, Facets

DENSE = 8  # samples of a curve per tessellation segment
# the screen's facets stand off by at most this share of the diagonal, and turn by this angle (rad)
SHOWN = 4e-4
SHOWN_TURN = 0.2


def _face_edges(face: TopoDS_Face) -> list[TopoDS_Edge]:
    walk = TopExp_Explorer(
        face.Oriented(TopAbs_Orientation.TopAbs_FORWARD), TopAbs_ShapeEnum.TopAbs_EDGE
    )
    out = []
    while walk.More():
        out.append(TopoDS.Edge_s(walk.Current()))
        walk.Next()
    return out


def _vertex_number(part: Part, edge: TopoDS_Edge, first: bool) -> int:
    forward = TopoDS.Edge_s(edge.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
    vertex = TopExp.FirstVertex_s(forward) if first else TopExp.LastVertex_s(forward)
    return part.vertex_map.FindIndex(vertex) - 1


def tessellate(
    part: Part, linear: float, angular: float, broken: list[int] | None = None
) -> tuple[Facets, Curves]:
    """Welded facets of all faces, within `linear` (unit) and `angular` (rad), and feature curves.

    Nodes on a CAD edge are shared by its faces. A curve is an edge between different faces, or
    the rim of a sheet; a seam within one face is none. Made once per part and deflection, so
    nobody may change it.
    Raises StepFailed naming a face without a tessellation; where `broken` is given, the numbers of
    such faces are put there instead.
    """
    key = linear, angular
    if key not in part.tessellations:
        part.tessellations[key] = _tessellated(part, linear, angular)
    facets, curves, missing = part.tessellations[key]
    if missing and broken is None:
        raise StepFailed(
            "no-facets",
            f"Face {missing[0] + 1} cannot be triangulated; its boundary may be broken. "
            "Repair or rebuild this face in the CAD program.",
            [centroid(part.faces[missing[0]]).tolist()],
        )
    if broken is not None:
        broken += missing
    return facets, curves


def as_shown(part: Part, broken: list[int] | None = None) -> tuple[Facets, Curves]:
    """The tessellation for the screen, which findings and curvature look at as well."""
    return tessellate(part, SHOWN * diagonal(part), SHOWN_TURN, broken)


def _tessellated(part: Part, linear: float, angular: float) -> tuple[Facets, Curves, list[int]]:
    BRepTools.Clean_s(part.shape)
    BRepMesh_IncrementalMesh(part.shape, linear, False, angular, True)
    broken: list[int] = []
    points: list[tuple[float, float, float]] = []
    curvature: list[float] = []
    by_key: dict[tuple[int, int, int], int] = {}
    triangles: list[tuple[int, int, int]] = []
    region: list[int] = []
    edge_faces: dict[int, list[int]] = {}
    edge_params: dict[int, list[float]] = {}
    edge_nodes: dict[int, list[int]] = {}

    def node(key: tuple[int, int, int], p: gp_Pnt) -> int:
        if key not in by_key:
            by_key[key] = len(points)
            points.append((p.X(), p.Y(), p.Z()))
            curvature.append(0.0)
        return by_key[key]

    for number, face in enumerate(part.faces):
        location = TopLoc_Location()
        mesh = BRep_Tool.Triangulation_s(face, location)
        if mesh is None or mesh.NbTriangles() == 0:
            broken.append(number)
            continue
        place = location.Transformation()
        nodes = [mesh.Node(i + 1).Transformed(place) for i in range(mesh.NbNodes())]
        numbers = np.full(mesh.NbNodes(), -1)
        for edge in _face_edges(face):
            e = part.edge_map.FindIndex(edge) - 1
            polygon = BRep_Tool.PolygonOnTriangulation_s(edge, mesh, location)
            if polygon is None:
                continue
            local = [polygon.Node(k + 1) - 1 for k in range(polygon.NbNodes())]
            v0 = _vertex_number(part, edge, True)
            v1 = _vertex_number(part, edge, False)
            if BRep_Tool.Degenerated_s(edge):
                for i in local:
                    numbers[i] = node((-1, v0, 0), nodes[i])
                continue
            last = len(local) - 1
            for k, i in enumerate(local):
                key = (-1, v0, 0) if k == 0 else (-1, v1, 0) if k == last else (e, k, 1)
                numbers[i] = node(key, nodes[i])
            edge_faces.setdefault(e, []).append(number)
            edge_nodes[e] = [int(numbers[i]) for i in local]
            if polygon.HasParameters():
                edge_params[e] = [polygon.Parameter(k + 1) for k in range(polygon.NbNodes())]
        surface = surface_of(face)
        flat = surface.GetType() == GeomAbs_SurfaceType.GeomAbs_Plane
        for i in range(mesh.NbNodes()):
            if numbers[i] < 0:
                numbers[i] = node((-2 - number, i, 2), nodes[i])
            if not flat and mesh.HasUVNodes():
                uv = mesh.UVNode(i + 1)
                n = int(numbers[i])
                curvature[n] = max(curvature[n], surface_curvature(surface, uv.X(), uv.Y()))
        reverse = face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED
        if place.IsNegative():
            reverse = not reverse
        for t in range(mesh.NbTriangles()):
            a, b, c = (int(numbers[i - 1]) for i in mesh.Triangle(t + 1).Get())
            if a == b or b == c or a == c:
                continue
            triangles.append((a, c, b) if reverse else (a, b, c))
            region.append(number)
    facets_curvature = np.array(curvature)
    features = _features(edge_faces)
    curves = _curves(part, features, edge_nodes, edge_params, facets_curvature)
    facets = Facets(
        np.array(points, np.float64).reshape(-1, 3),
        np.array(triangles, np.int32).reshape(-1, 3),
        np.array(region, np.int32),
        facets_curvature,
    )
    return facets, curves, broken


def surface_curvature(surface: BRepAdaptor_Surface, u: float, v: float) -> float:
    """Largest normal curvature at (u, v), in 1/unit; 0 where it is not defined."""
    kind = surface.GetType()
    if kind == GeomAbs_SurfaceType.GeomAbs_Cylinder:
        return 1.0 / surface.Cylinder().Radius()
    if kind == GeomAbs_SurfaceType.GeomAbs_Sphere:
        return 1.0 / surface.Sphere().Radius()
    props = BRepLProp_SLProps(surface, u, v, 2, 1e-9)
    if not props.IsCurvatureDefined():
        return 0.0
    value = max(abs(props.MaxCurvature()), abs(props.MinCurvature()))
    return value if math.isfinite(value) else 0.0


def _curves(
    part: Part,
    features: list[int],
    edge_nodes: dict[int, list[int]],
    edge_params: dict[int, list[float]],
    curvature: np.ndarray,
) -> Curves:
    start, points, arc, parameter, ends = [0], [], [], [], []
    pairs, pair_curve, pair_arc = [], [], []
    for number, e in enumerate(features):
        curve = BRepAdaptor_Curve(part.edges[e])
        nodes = edge_nodes[e]
        params = edge_params.get(e)
        if params is None:
            params = list(np.linspace(curve.FirstParameter(), curve.LastParameter(), len(nodes)))
        dense = np.interp(
            np.arange((len(nodes) - 1) * DENSE + 1) / DENSE, np.arange(len(nodes)), params
        )
        xyz = np.array([[p.X(), p.Y(), p.Z()] for p in (curve.Value(t) for t in dense)])
        s = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(xyz, axis=0), axis=1))])
        start.append(start[-1] + len(dense))
        points.append(xyz)
        arc.append(s)
        parameter.append(dense)
        ends.append((nodes[0], nodes[-1]))
        at = s[::DENSE]
        for k in range(len(nodes) - 1):
            pairs.append((nodes[k], nodes[k + 1]))
            pair_curve.append(number)
            pair_arc.append((at[k], at[k + 1]))
        for n, t in zip(nodes, params, strict=True):
            props = BRepLProp_CLProps(curve, t, 2, 1e-9)
            if props.IsTangentDefined():
                value = props.Curvature()
                if math.isfinite(value):
                    curvature[n] = max(curvature[n], value)
    return Curves(
        np.array(start, np.int32),
        np.concatenate(points) if points else np.zeros((0, 3)),
        np.concatenate(arc) if arc else np.zeros(0),
        np.concatenate(parameter) if parameter else np.zeros(0),
        np.array(ends, np.int32).reshape(-1, 2),
        np.array(pairs, np.int32).reshape(-1, 2),
        np.array(pair_curve, np.int32),
        np.array(pair_arc, np.float64).reshape(-1, 2),
    )


def curve_edges(part: Part) -> list[int]:
    """Numbers of the CAD edges that are feature curves, in the order tessellate gives them."""
    faces: dict[int, list[int]] = {}
    for number, face in enumerate(part.faces):
        for edge in _face_edges(face):
            if not BRep_Tool.Degenerated_s(edge):
                faces.setdefault(part.edge_map.FindIndex(edge) - 1, []).append(number)
    return _features(faces)


def _features(faces: dict[int, list[int]]) -> list[int]:
    """Edges between faces, and rims: all but those that one face passes twice, on its seam."""
    return sorted(e for e, own in faces.items() if len(set(own)) > 1 or len(own) == 1)
