"""One sector of a six-fold drum screen at Northmere: the water between hub and casing.

The body is the fluid itself: 60° of an annulus with three screen bars left out. Dimensions in mm.
Run `python -m demo.drum OUT.step` to write the model again.
"""

import math
import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.step import write_step

HUB, CASING, HEIGHT = 60.0, 150.0, 90.0
SECTOR = math.pi / 3
BAR, BAR_CIRCLE = 6.0, 105.0


def drum() -> TopoDS_Shape:
    axis = gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1), gp_Dir(1, 0, 0))
    body = BRepPrimAPI_MakeCylinder(axis, CASING, HEIGHT, SECTOR).Shape()
    body = BRepAlgoAPI_Cut(
        body, BRepPrimAPI_MakeCylinder(axis, HUB, HEIGHT, 2 * SECTOR).Shape()
    ).Shape()
    for k in range(3):
        turn = SECTOR * (k + 0.5) / 3
        at = gp_Pnt(BAR_CIRCLE * math.cos(turn), BAR_CIRCLE * math.sin(turn), 0)
        bar = BRepPrimAPI_MakeCylinder(gp_Ax2(at, gp_Dir(0, 0, 1)), BAR, HEIGHT).Shape()
        body = BRepAlgoAPI_Cut(body, bar).Shape()
    return body


def exact_volume() -> float:
    """Closed form, in mm³."""
    return HEIGHT * (SECTOR / 2 * (CASING**2 - HUB**2) - 3 * math.pi * BAR**2)


if __name__ == "__main__":
    write_step(drum(), Path(sys.argv[1]))
