"""The aeration ejector of Northmere: one solid with nozzle, side air port, throat and diffuser.

Dimensions in mm. Run `python -m demo.ejector OUT.step` to write the model again.
"""

import math
import sys
from pathlib import Path

from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeRevol,
)
from OCP.GeomAbs import GeomAbs_CurveType
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from intaglio.cad.step import write_step

LENGTH = 418.0
RADIUS = 48.0
NOZZLE_IN, NOZZLE_TIP = 8.0, 5.5
PORT_X, PORT_BORE = 65.0, 12.0
OUTLET = 24.0

OUTER = [
    (0, 48),
    (14, 48),
    (14, 34),
    (150, 34),
    (170, 22),
    (250, 22),
    (404, 32),
    (404, 48),
    (418, 48),
]
CHAMBER = [(30, 24), (110, 24), (150, 10), (230, 10), (418, OUTLET)]
NOZZLE = [(20, 12), (60, 12), (138, 8)]
BORE = [(0, NOZZLE_IN), (60, NOZZLE_IN), (138, NOZZLE_TIP)]

X_AXIS = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0))


def revolved(profile: list[tuple[float, float]]) -> TopoDS_Shape:
    """The solid under a profile of (x, radius), turned about the x axis."""
    polygon = BRepBuilderAPI_MakePolygon()
    for x, r in [(profile[0][0], 0.0), *profile, (profile[-1][0], 0.0)]:
        polygon.Add(gp_Pnt(x, r, 0))
    polygon.Close()
    return BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(polygon.Wire()).Face(), X_AXIS).Shape()


def cylinder(at: tuple[float, float, float], along: tuple[float, float, float], r: float, h: float):
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*along)), r, h).Shape()


def cut(a: TopoDS_Shape, b: TopoDS_Shape) -> TopoDS_Shape:
    return BRepAlgoAPI_Cut(a, b).Shape()


def fuse(a: TopoDS_Shape, b: TopoDS_Shape) -> TopoDS_Shape:
    return BRepAlgoAPI_Fuse(a, b).Shape()


def circles(shape: TopoDS_Shape, x: float, r: float) -> list:
    """Circular edges about the x axis at x with radius r."""
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_ShapeEnum.TopAbs_EDGE, edges)
    found = []
    for i in range(edges.Extent()):
        edge = TopoDS.Edge_s(edges.FindKey(i + 1))
        curve = BRepAdaptor_Curve(edge)
        if curve.GetType() != GeomAbs_CurveType.GeomAbs_Circle:
            continue
        circle = curve.Circle()
        c = circle.Location()
        if (
            abs(c.X() - x) < 1e-6
            and abs(circle.Radius() - r) < 1e-6
            and math.hypot(c.Y(), c.Z()) < 1e-6
        ):
            found.append(edge)
    return found


def ejector() -> TopoDS_Shape:
    body = revolved(OUTER)
    rounded = BRepFilletAPI_MakeFillet(body)
    for edge in [*circles(body, 14, 34), *circles(body, 404, 32)]:
        rounded.Add(4.0, edge)
    body = rounded.Shape()
    # the side port and its flange
    body = fuse(body, cylinder((PORT_X, 0, 0), (0, 1, 0), 18, 48))
    body = fuse(body, cylinder((PORT_X, 40, 0), (0, 1, 0), 27, 8))
    body = cut(body, revolved(CHAMBER))
    body = cut(body, cylinder((PORT_X, 0, 0), (0, 1, 0), PORT_BORE, 60))
    body = fuse(body, revolved(NOZZLE))
    body = cut(body, revolved(BORE))
    for k in range(6):
        turn = math.radians(60 * k + 30)
        y, z = 42.5 * math.cos(turn), 42.5 * math.sin(turn)
        body = cut(body, cylinder((-1, y, z), (1, 0, 0), 3.3, 17))
        body = cut(body, cylinder((402, y, z), (1, 0, 0), 3.3, 17))
    for k in range(4):
        turn = math.radians(90 * k + 45)
        body = cut(
            body,
            cylinder((PORT_X + 22 * math.cos(turn), 39, 22 * math.sin(turn)), (0, 1, 0), 2.2, 10),
        )
    # the engraved mark: two strokes, 0.6 deep, in the inlet flange
    for y in (-26.0, -20.0):
        body = cut(body, BRepPrimAPI_MakeBox(gp_Pnt(-1, y, -6), gp_Pnt(0.6, y + 1.6, 6)).Shape())
    return body


if __name__ == "__main__":
    write_step(ejector(), Path(sys.argv[1]))
