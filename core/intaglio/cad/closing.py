"""Closing CAD that is open for good reason: a rim brought to a plane and capped there, a sheet
thickened."""

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace
from OCP.BRepFill import BRepFill
from OCP.BRepLib import BRepLib
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeThickSolid
from OCP.Geom import Geom_Plane, Geom_TrimmedCurve
from OCP.GeomProjLib import GeomProjLib
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.ShapeAnalysis import ShapeAnalysis_FreeBounds
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape, TopoDS_Wire
from OCP.TopTools import TopTools_HSequenceOfShape

from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.cad.measures import centroid
from intaglio.cad.part import Part
from intaglio.cad.repair import Repaired, carried, scale_of, sewn
from intaglio.cad.topology import edge_samples, edge_uses, explore, free_uses, gaps_and_holes
from intaglio.errors import StepFailed

# an edge this near to the plane, as a share of the model, is on it
_ON = 1e-6
_SAMPLES = 33


def closed_against(
    part: Part, at: list[float], normal: list[float], reach: float = 0.0
) -> Repaired:
    """Every rim is brought square to a plane by a wall, and the plane is closed within all of them.

    reach: rims that go farther from the plane are left open; 0 for none. A rim within another
    leaves its inside open, as the end of a thick pipe. Raises StepFailed where there is no closed
    rim, or the kernel makes no face.
    """
    scale = scale_of(part)
    plane = gp_Pln(gp_Pnt(*at), gp_Dir(*normal))
    n = np.asarray(normal, float) / np.linalg.norm(normal)

    def far(edge: TopoDS_Edge) -> float:
        return float(np.abs((edge_samples(edge, _SAMPLES) - at) @ n).max())

    _, rims = gaps_and_holes(part, free_uses(edge_uses(part)), scale)
    rims = [rim for rim in rims if not reach or max(far(part.edges[e]) for e in rim.edges) <= reach]
    if not rims:
        raise StepFailed("no-rim", "No closed rim is there to be closed. Sew the gaps first.")
    made: list[TopoDS_Shape] = []
    base: list[TopoDS_Edge] = []
    for edge in (part.edges[e] for rim in rims for e in rim.edges):
        if far(edge) <= _ON * scale:
            base.append(edge)
            continue
        foot = _foot(edge, plane, scale)
        if foot is None:
            # it runs square to the plane, and the walls beside it meet there
            continue
        base.append(foot)
        made.append(_between(edge, foot))
    made += _plane_within(_wires(base, 1e-5 * scale), plane)
    out, _ = sewn(part, 2e-5 * scale, made)
    return out, len(rims)


def _foot(edge: TopoDS_Edge, plane: gp_Pln, scale: float) -> TopoDS_Edge | None:
    """The edge projected square onto the plane; None if that is a point."""
    first, last = _range(edge)
    curve = Geom_TrimmedCurve(BRep_Tool.Curve_s(edge, first, last), first, last)
    try:
        shadow = GeomProjLib.ProjectOnPlane_s(
            curve, Geom_Plane(plane), plane.Axis().Direction(), True
        )
        made = BRepBuilderAPI_MakeEdge(shadow)
    except KERNEL_ERRORS:
        made = None
    if made is None or not made.IsDone():
        return None
    line = edge_samples(made.Edge(), _SAMPLES)
    return made.Edge() if np.ptp(line, axis=0).max() > 1e-6 * scale else None


def _range(edge: TopoDS_Edge) -> tuple[float, float]:
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    return curve.FirstParameter(), curve.LastParameter()


def _between(edge: TopoDS_Edge, foot: TopoDS_Edge) -> TopoDS_Face:
    try:
        return BRepFill.Face_s(edge, foot)
    except KERNEL_ERRORS as error:
        raise StepFailed(
            "wall",
            "A rim cannot be brought to the plane by a wall.",
            [edge_samples(edge, 3)[1].tolist()],
        ) from error


def _wires(edges: list[TopoDS_Edge], near: float) -> list[TopoDS_Wire]:
    loose, joined = TopTools_HSequenceOfShape(), TopTools_HSequenceOfShape()
    for edge in edges:
        loose.Append(edge)
    ShapeAnalysis_FreeBounds.ConnectEdgesToWires_s(loose, near, False, joined)
    return [TopoDS.Wire_s(joined.Value(k + 1)) for k in range(joined.Length())]


def _plane_within(wires: list[TopoDS_Wire], plane: gp_Pln) -> list[TopoDS_Shape]:
    """Faces of the plane between wires: those inside an odd number of others are holes."""
    axes = plane.Position()
    first = np.array([axes.XDirection().Coord(k + 1) for k in range(3)])
    second = np.array([axes.YDirection().Coord(k + 1) for k in range(3)])
    flat = [_polygon(wire) @ np.column_stack([first, second]) for wire in wires]
    around = [[j for j, p in enumerate(flat) if j != k and _within(flat[k][0], p)]
              for k in range(len(flat))]  # fmt: skip
    faces: dict[int, TopoDS_Shape] = {}
    for k, wire in enumerate(wires):
        made = BRepBuilderAPI_MakeFace(plane, wire, True)
        if not made.IsDone():
            raise StepFailed(
                "plane",
                "The plane cannot be closed within a rim.",
                [_polygon(wire).mean(axis=0).tolist()],
            )
        faces[k] = made.Face()
    for k in range(len(wires)):
        if len(around[k]) % 2:
            # the smallest that it lies in, which is the one that lies in most others
            host = max(around[k], key=lambda j: len(around[j]))
            faces[host] = BRepAlgoAPI_Cut(faces[host], faces[k]).Shape()
    kept = [faces[k] for k in range(len(wires)) if len(around[k]) % 2 == 0]
    return [f for shape in kept for f in explore(shape, TopAbs_ShapeEnum.TopAbs_FACE)]


def _polygon(wire: TopoDS_Wire) -> NDArray[np.float64]:
    """Points (n, 3) along a wire, in its order."""
    from OCP.BRepTools import BRepTools_WireExplorer

    walk = BRepTools_WireExplorer(wire)
    lines = []
    while walk.More():
        line = edge_samples(walk.Current(), _SAMPLES)
        forward = walk.Orientation().name.endswith("FORWARD")
        lines.append((line if forward else line[::-1])[:-1])
        walk.Next()
    return np.concatenate(lines)


def _within(p: NDArray[np.float64], polygon: NDArray[np.float64]) -> bool:
    """Whether a point (2,) lies in a polygon (n, 2), by the crossings of a ray."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    spans = (a[:, 1] > p[1]) != (b[:, 1] > p[1])
    rise = np.where(spans, b[:, 1] - a[:, 1], 1.0)
    x = a[:, 0] + (p[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / rise
    return bool((spans & (x > p[0])).sum() % 2)


def thickened(part: Part, thickness: float) -> Repaired:
    """Every open body becomes a solid between itself and a second side at a distance, on the side
    of its normals. How many. Raises StepFailed with the place where the kernel makes none."""
    bodies: list[TopoDS_Shape] = []
    count = 0
    for body in part.bodies:
        if body.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID:
            bodies.append(body)
            continue
        bodies += _second_side(body, thickness)
        count += 1
    if not count:
        return part, 0
    return carried(part, bodies), count


def _second_side(sheet: TopoDS_Shape, thickness: float) -> list[TopoDS_Shape]:
    out: list[TopoDS_Shape] = []
    try:
        tool = BRepOffsetAPI_MakeThickSolid()
        tool.MakeThickSolidBySimple(sheet, thickness)
        if tool.IsDone():
            for found in explore(tool.Shape(), TopAbs_ShapeEnum.TopAbs_SOLID):
                solid = TopoDS.Solid_s(found)
                # the kernel leaves it turned as the sheet was
                BRepLib.OrientClosedSolid_s(solid)
                out.append(solid)
    except KERNEL_ERRORS:
        out = []
    if not out:
        raise StepFailed(
            "not-thickened",
            "The CAD kernel gives a sheet no second side. Choose a smaller thickness, or "
            "thicken it in the CAD program.",
            [centroid(sheet).tolist()],
        )
    return out
