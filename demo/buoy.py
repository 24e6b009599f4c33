"""The feed buoy of Northmere as a scan delivers it: triangles, in metres though the file says
nothing, a gap around the hull, a hatch and a mast pushed into it, clutter inside, loose bolts.

Run `python -m demo.buoy OUT.stl` to write the model again.
"""

import math
import sys
from pathlib import Path

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeRevol,
    BRepPrimAPI_MakeSphere,
)
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.facets.part import FacetPart, joined, kept
from intaglio.formats.stl import stl_bytes
from intaglio.parts.kinds import cad

# half outline of the hull: (radius, height), in metres
HULL = [
    (0.0, -0.45),
    (0.25, -0.42),
    (0.6, -0.2),
    (0.75, 0.0),
    (0.75, 0.12),
    (0.55, 0.25),
    (0.0, 0.3),
]
SEAM = 0.12
GAP = 0.004
MAST = (0.04, 1.1)
HATCH = (0.3, 0.24, 0.16)
BOLTS, BOLT = 8, 0.012


def hull() -> TopoDS_Shape:
    tool = BRepBuilderAPI_MakePolygon()
    for r, z in HULL:
        tool.Add(gp_Pnt(r, 0, z))
    tool.Close()
    face = BRepBuilderAPI_MakeFace(tool.Wire()).Face()
    return BRepPrimAPI_MakeRevol(face, gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))).Shape()


def _box(x, y, z, a, b, c) -> TopoDS_Shape:
    return BRepPrimAPI_MakeBox(
        gp_Pnt(x - a / 2, y - b / 2, z), gp_Pnt(x + a / 2, y + b / 2, z + c)
    ).Shape()


def _facets(shape: TopoDS_Shape, name: str, share: float = 4e-4) -> FacetPart:
    part = cad().facets(Part(compound([shape]), "m", (name,)), share)
    count = len(part.triangles)
    flat = np.zeros(count, np.int32)
    return FacetPart(part.points, part.triangles, flat, flat.copy(), (name,), (name,), "m")


def parts() -> list[FacetPart]:
    """Everything that the scan holds, in metres."""
    skin = _facets(hull(), "hull")
    above = skin.points[skin.triangles].mean(axis=1)[:, 2] > SEAM + 1e-9
    lid, tub = kept(skin, above), kept(skin, ~above)
    lid = FacetPart(
        lid.points + np.array([0, 0, GAP]),
        lid.triangles,
        lid.region,
        lid.body,
        ("lid",),
        ("lid",),
        "m",
    )
    out = [lid, tub]
    mast = BRepPrimAPI_MakeCylinder(
        gp_Ax2(gp_Pnt(0, 0, 0.2), gp_Dir(0, 0, 1)), MAST[0], MAST[1]
    ).Shape()
    out.append(_facets(mast, "mast"))
    out.append(_facets(_box(-0.25, 0, 0.2, *HATCH), "hatch"))
    for k, x in enumerate((-0.2, 0.05, 0.3)):
        out.append(_facets(_box(x, 0.1, -0.25, 0.16, 0.2, 0.18), f"battery_{k + 1}"))
    for k in range(BOLTS):
        t = 2 * math.pi * k / BOLTS
        at = gp_Pnt(0.8 * math.cos(t), 0.8 * math.sin(t), 0.05)
        out.append(_facets(BRepPrimAPI_MakeSphere(at, BOLT).Shape(), f"bolt_{k + 1}", 0.02))
    return out


def buoy() -> FacetPart:
    return joined(parts())


if __name__ == "__main__":
    scan = buoy()
    Path(sys.argv[1]).write_bytes(stl_bytes(scan.points, scan.triangles, "feed buoy"))
