"""The ruler: distances, angles, radii and wall thickness between touched places of a model."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.gp import gp_Dir, gp_Lin, gp_Pnt
from OCP.IntCurvesFace import IntCurvesFace_ShapeIntersector

from intaglio.cad.normals import face_normal
from intaglio.cad.part import Part, bounds
from intaglio.cad.topology import edge_samples, explore
from intaglio.errors import SettingRejected
from intaglio.facets.facets import triangle_normals
from intaglio.facets.part import FacetPart, scale_of
from intaglio.numeric.boxtree import box_tree, first_hits, nearest
from intaglio.parts.model import Model

Touched = Mapping[str, Any]


def measure(model: Model, first: Touched, second: Touched | None) -> dict[str, Any]:
    """What lies between two touched places {face, at}, or what one place alone tells.

    face: number; at: (3,) near the surface. Lengths in the model's unit, angles in degrees. Keys:
    at (places on the surface, snapped to vertices where one is near), distance, and where they make
    sense: between_faces, angle, radius, diameter, thickness.
    """
    places = [_snapped(model, t) for t in (first, second) if t is not None]
    out: dict[str, Any] = {"at": [p.tolist() for p in places]}
    if second is None:
        out |= _radius(model, first)
        thickness = _thickness(model, int(first["face"]), places[0])
        if thickness is not None:
            out["thickness"] = thickness
        return out
    out["distance"] = float(np.linalg.norm(places[1] - places[0]))
    out["along"] = (places[1] - places[0]).tolist()
    normals = [
        _normal(model, int(t["face"]), p) for t, p in zip((first, second), places, strict=True)
    ]
    out["angle"] = float(
        np.degrees(
            np.arctan2(np.linalg.norm(np.cross(normals[0], normals[1])), normals[0] @ normals[1])
        )
    )
    if isinstance(model, Part) and first["face"] != second["face"]:
        a, b = (model.faces[_face(model, t)] for t in (first, second))
        out["between_faces"] = float(BRepExtrema_DistShapeShape(a, b).Value())
    return out


def _face(model: Model, touched: Touched) -> int:
    count = len(model.faces) if isinstance(model, Part) else len(model.region_names)
    number = int(touched["face"])
    if not 0 <= number < count:
        raise SettingRejected("ruler", f"There is no face number {number}.")
    return number


def _snapped(model: Model, touched: Touched) -> np.ndarray:
    """The touched place on the exact surface, or its face's vertex within a hundredth of the
    model."""
    at = np.array(touched["at"], float)
    if at.shape != (3,) or not np.isfinite(at).all():
        raise SettingRejected("ruler", "A place needs three finite coordinates.")
    number = _face(model, touched)
    if isinstance(model, FacetPart):
        reach = 0.01 * scale_of(model.points)
        nodes = np.unique(model.triangles[model.region == number])
        apart = np.linalg.norm(model.points[nodes] - at, axis=1)
        tree = box_tree(model.points, model.triangles, model.region)
        foot = np.empty(3)
        nearest(tree, number, at, foot)
        # facets have nodes everywhere: only one that is nearly touched
        return model.points[nodes[apart.argmin()]] if apart.min() < 0.2 * reach else foot
    scale = float(np.linalg.norm(np.subtract(*bounds(model.shape))))
    face = model.faces[number]
    ends = []
    from OCP.TopAbs import TopAbs_ShapeEnum
    from OCP.TopoDS import TopoDS

    for edge in explore(face, TopAbs_ShapeEnum.TopAbs_EDGE):
        ends += list(edge_samples(TopoDS.Edge_s(edge), 2))
    if ends:
        apart = np.linalg.norm(np.array(ends) - at, axis=1)
        if apart.min() < 0.01 * scale:
            return np.array(ends)[apart.argmin()]
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex

    vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*(float(x) for x in at))).Vertex()
    tool = BRepExtrema_DistShapeShape(vertex, face)
    p = tool.PointOnShape2(1)
    return np.array([p.X(), p.Y(), p.Z()])


def _normal(model: Model, face: int, at: np.ndarray) -> np.ndarray:
    if isinstance(model, Part):
        return face_normal(model.faces[face], at)
    tree = box_tree(model.points, model.triangles, model.region)
    hit = nearest(tree, face, at, np.empty(3))
    return triangle_normals(model.points, model.triangles)[hit]


def _radius(model: Model, touched: Touched) -> dict[str, float]:
    from intaglio.parts.model import face_radius, surface_word

    if not isinstance(model, Part):
        return {}
    number = _face(model, touched)
    radius = face_radius(model, number, surface_word(model, number))
    return {"radius": radius, "diameter": 2 * radius} if radius > 0 else {}


def _thickness(model: Model, face: int, at: np.ndarray) -> float | None:
    """Distance straight in to the opposite surface."""
    normal = _normal(model, face, at)
    if isinstance(model, Part):
        scale = float(np.linalg.norm(np.subtract(*bounds(model.shape))))
        tool = IntCurvesFace_ShapeIntersector()
        tool.Load(model.shape, 1e-9 * scale)
        start = at - 1e-6 * scale * normal
        line = gp_Lin(gp_Pnt(*(float(x) for x in start)), gp_Dir(*(float(-x) for x in normal)))
        tool.Perform(line, 0.0, 2 * scale)
        hits = [tool.WParameter(k + 1) for k in range(tool.NbPnt())]
        ahead = [h for h in hits if h > 1e-7 * scale]
        return float(min(ahead)) + 1e-6 * scale if ahead else None
    scale = scale_of(model.points)
    tree = box_tree(model.points, model.triangles)
    distance, _ = first_hits(tree, at[None].copy(), -normal[None], np.array([1e-6 * scale]))
    return float(distance[0]) if np.isfinite(distance[0]) else None
