"""The fish-pass slot of Northmere, in plan: a channel with a narrow slot and a lens-shaped pier.

Dimensions in mm. Faces have names, as a careful designer gives them. Run
`python -m demo.slot OUT.step` to write the model again.
"""

import math
import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_MakeWire,
)
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.GC import GC_MakeArcOfCircle
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.measures import centroid
from intaglio.cad.part import Part
from intaglio.cad.write import step_bytes

LENGTH, WIDTH, DEPTH = 3200.0, 1200.0, 200.0
# the walls come in from both sides to the slot, and go out again
NARROW = [(1100.0, 0.0), (1300.0, 330.0), (1400.0, 330.0), (1600.0, 0.0)]
PIER_X, PIER_LENGTH, PIER_WIDTH = 2000.0, 360.0, 120.0


def _polygon(points: list[tuple[float, float]]) -> TopoDS_Shape:
    tool = BRepBuilderAPI_MakePolygon()
    for x, y in points:
        tool.Add(gp_Pnt(x, y, 0))
    tool.Close()
    face = BRepBuilderAPI_MakeFace(tool.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, DEPTH)).Shape()


def pier() -> TopoDS_Shape:
    """A lens of two arcs through its ends and its widest points."""
    y = WIDTH / 2
    a, b = gp_Pnt(PIER_X, y, 0), gp_Pnt(PIER_X + PIER_LENGTH, y, 0)
    wire = BRepBuilderAPI_MakeWire()
    for side in (1, -1):
        top = gp_Pnt(PIER_X + PIER_LENGTH / 2, y + side * PIER_WIDTH / 2, 0)
        wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(a, top, b).Value()).Edge())
    face = BRepBuilderAPI_MakeFace(wire.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, DEPTH)).Shape()


def slot() -> Part:
    top = [(x, WIDTH - y) for x, y in reversed(NARROW)]
    plan = [(0, 0), *NARROW, (LENGTH, 0), (LENGTH, WIDTH), *top, (0, WIDTH)]
    shape = BRepAlgoAPI_Cut(_polygon(plan), pier()).Shape()
    plain = Part(shape, "mm", ("slot",))
    names = []
    for face in plain.faces:
        x, y, z = centroid(face)
        if x < 1:
            names.append("inlet")
        elif x > LENGTH - 1:
            names.append("outlet")
        elif 0 < z < DEPTH - 1 and PIER_X < x < PIER_X + PIER_LENGTH and 400 < y < 800:
            names.append("pier")
        else:
            names.append("")
    return Part(plain.shape, "mm", ("slot",), tuple(names))


def plan_area() -> float:
    """Closed form, in mm²: the channel less both narrowings less the lens."""
    trapezium = 330.0 * ((1600.0 - 1100.0) + (1400.0 - 1300.0)) / 2
    half, rise = PIER_LENGTH / 2, PIER_WIDTH / 2
    radius = (half**2 + rise**2) / (2 * rise)
    angle = math.asin(half / radius)
    segment = radius**2 * (angle - math.sin(angle) * math.cos(angle))
    return LENGTH * WIDTH - 2 * trapezium - 2 * segment


if __name__ == "__main__":
    Path(sys.argv[1]).write_bytes(step_bytes(slot()))
