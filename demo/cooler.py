"""The tube cooler of Northmere: water in six tubes between two headers, glycol around them.

Seven bodies: the shell with its nozzles and tube sheets, and the tubes. Dimensions in mm. Run
`python -m demo.cooler OUT.step` to write the model again.
"""

import math
import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cad.write import step_bytes

LENGTH, RADIUS, WALL = 240.0, 40.0, 3.0
SHEETS = ((40.0, 46.0), (194.0, 200.0))
TUBES, CIRCLE, TUBE, BORE = 6, 22.0, 5.0, 4.0
WATER, GLYCOL, STUB, NOZZLE_WALL = 8.0, 7.0, 20.0, 2.0
GLYCOL_X = (70.0, 170.0)


def _cylinder(at, along, radius: float, length: float) -> TopoDS_Shape:
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*along)), radius, length).Shape()


def _fuse(a: TopoDS_Shape, b: TopoDS_Shape) -> TopoDS_Shape:
    return BRepAlgoAPI_Fuse(a, b).Shape()


def _cut(a: TopoDS_Shape, b: TopoDS_Shape) -> TopoDS_Shape:
    return BRepAlgoAPI_Cut(a, b).Shape()


def tube_places() -> list[tuple[float, float]]:
    turns = [2 * math.pi * k / TUBES for k in range(TUBES)]
    return [(CIRCLE * math.cos(t), CIRCLE * math.sin(t)) for t in turns]


def cooler() -> Part:
    x = (1, 0, 0)
    shell = _cylinder((0, 0, 0), x, RADIUS, LENGTH)
    nozzles = [
        ((-STUB, 0, 0), x, WATER),
        ((LENGTH + STUB, 0, 0), (-1, 0, 0), WATER),
        ((GLYCOL_X[0], 0, RADIUS + STUB), (0, 0, -1), GLYCOL),
        ((GLYCOL_X[1], 0, -RADIUS - STUB), (0, 0, 1), GLYCOL),
    ]
    for at, along, bore in nozzles:
        shell = _fuse(shell, _cylinder(at, along, bore + NOZZLE_WALL, STUB + WALL))
    hollow = _cylinder((WALL, 0, 0), x, RADIUS - WALL, LENGTH - 2 * WALL)
    shell = _cut(shell, hollow)
    for at, along, bore in nozzles:
        shell = _cut(shell, _cylinder(at, along, bore, STUB + 2 * WALL))
    for start, end in SHEETS:
        shell = _fuse(shell, _cylinder((start, 0, 0), x, RADIUS - WALL / 2, end - start))
    first, last = SHEETS[0][0], SHEETS[1][1]
    tubes = []
    for y, z in tube_places():
        shell = _cut(shell, _cylinder((first - 1, y, z), x, TUBE, last - first + 2))
        whole = _cylinder((first, y, z), x, TUBE, last - first)
        tubes.append(_cut(whole, _cylinder((first - 1, y, z), x, BORE, last - first + 2)))
    names = ("shell", *(f"tube_{k + 1}" for k in range(TUBES)))
    return Part(compound([shell, *tubes]), "mm", names)


def tube_volume() -> float:
    """Material of one tube, closed form, in mm³."""
    return math.pi * (TUBE**2 - BORE**2) * (SHEETS[1][1] - SHEETS[0][0])


def water_volume() -> float:
    """Both headers, the bores of the tubes and of the two nozzles, closed form, in mm³."""
    inner = math.pi * (RADIUS - WALL) ** 2
    headers = inner * ((SHEETS[0][0] - WALL) + (LENGTH - WALL - SHEETS[1][1]))
    bores = TUBES * math.pi * BORE**2 * (SHEETS[1][1] - SHEETS[0][0])
    return headers + bores + 2 * math.pi * WATER**2 * (STUB + WALL)


if __name__ == "__main__":
    Path(sys.argv[1]).write_bytes(step_bytes(cooler()))
