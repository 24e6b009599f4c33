"""The air duct of Northmere's degassing tower: a square bend with guide vanes, a divider ahead.

Vanes and divider are drawn as surfaces without a thickness. Dimensions in mm. Run
`python -m demo.elbow OUT.step` to write the model again.
"""

import math
import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.gp import gp_Ax3, gp_Cylinder, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Face, TopoDS_Shape

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cad.write import step_bytes

SIDE, WALL = 400.0, 3.0
# the duct comes along x, and goes up from the bend whose inner corner lies at x = 0, z = SIDE
AHEAD, UP = 900.0, 1300.0
# quarter circles about a line across the duct, a little ahead of the inner corner
VANES = {"vane_inner": 120.0, "vane_middle": 220.0, "vane_outer": 320.0}
CENTRE = (-40.0, SIDE + 40.0)
DIVIDER = (-800.0, -380.0)


def _box(x0: float, z0: float, x1: float, z1: float, wall: float) -> TopoDS_Shape:
    """A square bar across y, thicker by a wall on the sides."""
    low, high = gp_Pnt(x0, -wall, z0), gp_Pnt(x1, SIDE + wall, z1)
    return BRepPrimAPI_MakeBox(low, high).Shape()


def duct() -> TopoDS_Shape:
    """The sheet metal, open at both ends."""
    w = WALL
    outer = BRepAlgoAPI_Fuse(
        _box(-AHEAD, -w, SIDE + w, SIDE + w, w), _box(-w, -w, SIDE + w, SIDE + UP, w)
    ).Shape()
    inner = BRepAlgoAPI_Fuse(
        _box(-AHEAD - 1, 0, SIDE, SIDE, 0), _box(0, 0, SIDE, SIDE + UP + 1, 0)
    ).Shape()
    return BRepAlgoAPI_Cut(outer, inner).Shape()


def vane(radius: float) -> TopoDS_Face:
    """A quarter of a cylinder from side to side."""
    frame = gp_Ax3(gp_Pnt(CENTRE[0], 0, CENTRE[1]), gp_Dir(0, 1, 0), gp_Dir(1, 0, 0))
    return BRepBuilderAPI_MakeFace(gp_Cylinder(frame, radius), 0, math.pi / 2, 0, SIDE).Face()


def divider() -> TopoDS_Face:
    """A plate along the middle of the duct, from floor to ceiling."""
    a, b = DIVIDER
    wire = BRepBuilderAPI_MakePolygon()
    for x, z in ((a, 0.0), (b, 0.0), (b, SIDE), (a, SIDE)):
        wire.Add(gp_Pnt(x, SIDE / 2, z))
    wire.Close()
    return BRepBuilderAPI_MakeFace(wire.Wire()).Face()


def elbow() -> Part:
    names = ("elbow", *VANES, "divider")
    shapes = [duct(), *(vane(r) for r in VANES.values()), divider()]
    return Part(compound(shapes), "mm", names)


def air_volume() -> float:
    """Closed form, in mm³: both legs and the bend."""
    return SIDE**2 * (AHEAD + SIDE + UP)


def sheet_areas() -> dict[str, float]:
    """Closed form of one side of each, in mm²."""
    vanes = {name: 0.5 * math.pi * radius * SIDE for name, radius in VANES.items()}
    return {**vanes, "divider": (DIVIDER[1] - DIVIDER[0]) * SIDE}


if __name__ == "__main__":
    Path(sys.argv[1]).write_bytes(step_bytes(elbow()))
