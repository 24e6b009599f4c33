"""A bracket of Northmere as it should not be exported: five faults, each in a known place.

A missing end face, a sliver, a face that is there twice, a gap under the top face, and a gusset
turned inside out. Dimensions in mm. Run `python -m demo.bracket OUT.step` to write it again.
"""

import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy, BRepBuilderAPI_Transform
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.measures import centroid
from intaglio.cad.part import Part
from intaglio.cad.read import compound, sheet_of
from intaglio.cad.repair import split_by_plane
from intaglio.cad.topology import explore
from intaglio.cad.write import step_bytes

LENGTH, WIDTH, THICK, HEIGHT = 120.0, 60.0, 10.0, 70.0
HOLE = 5.0
GAP = 0.15
SLIVER = 0.03
GUSSET = (30.0, 6.0, 30.0)


def _box(x0: float, y0: float, z0: float, x1: float, y1: float, z1: float) -> TopoDS_Shape:
    return BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape()


def sound_bracket() -> TopoDS_Shape:
    """The angle of two plates with two holes, without any fault."""
    base = _box(0, 0, 0, LENGTH, WIDTH, THICK)
    upright = _box(0, 0, 0, THICK, WIDTH, HEIGHT)
    body = BRepAlgoAPI_Fuse(base, upright).Shape()
    for y in (15.0, 45.0):
        hole = BRepPrimAPI_MakeCylinder(
            gp_Ax2(gp_Pnt(90.0, y, -1.0), gp_Dir(0, 0, 1)), HOLE, THICK + 2
        ).Shape()
        body = BRepAlgoAPI_Cut(body, hole).Shape()
    return body


def sound_volume() -> float:
    """Closed form of the bracket without its gusset, in mm³."""
    import math

    plates = LENGTH * WIDTH * THICK + THICK * WIDTH * (HEIGHT - THICK)
    return plates - 2 * math.pi * HOLE**2 * THICK


def bracket_bad() -> Part:
    from intaglio.cad.repair import merged_faces

    sound, _ = merged_faces(Part(compound([sound_bracket()]), "mm"))
    bottom = next(k for k, f in enumerate(sound.faces) if abs(centroid(f)[2]) < 1e-9)
    split, _ = split_by_plane(sound, [0, WIDTH - SLIVER, 0], [0, 1, 0], {bottom})
    faces: list[TopoDS_Shape] = []
    for face in explore(split.shape, TopAbs_ShapeEnum.TopAbs_FACE):
        x, y, z = centroid(face)
        if abs(x - LENGTH) < 1e-9:
            continue  # the missing end
        if abs(z - HEIGHT) < 1e-9:
            lift = gp_Trsf()
            lift.SetTranslation(gp_Vec(0, 0, GAP))
            face = BRepBuilderAPI_Transform(face, lift, True).Shape()
        faces.append(face)
        if abs(y) < 1e-9:
            faces.append(BRepBuilderAPI_Copy(face).Shape())
    x, y, z = GUSSET
    gusset = _box(THICK + 1, 27, THICK + 1, THICK + 1 + x, 27 + y, THICK + 1 + z)
    shell = explore(gusset, TopAbs_ShapeEnum.TopAbs_SHELL)[0].Reversed()
    return Part(compound([sheet_of(faces), shell]), "mm", ("bracket", "gusset"))


if __name__ == "__main__":
    Path(sys.argv[1]).write_bytes(step_bytes(bracket_bad()))
