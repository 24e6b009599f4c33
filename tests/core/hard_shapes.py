"""Shapes that are hard to mesh, each with sizes that give some tens of thousands of cells."""

import numpy as np
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Transform,
)
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipe
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.GC import GC_MakeCircle
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.TopoDS import TopoDS_Shape

from tests.core.shapes import box, cut, cylinder, fuse


def sphere(at, r) -> TopoDS_Shape:
    return BRepPrimAPI_MakeSphere(gp_Pnt(*at), r).Shape()


def helix() -> TopoDS_Shape:
    """A tube of radius 1 along one turn of a helix of radius 5 and pitch 6, as a spline."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.GeomAPI import GeomAPI_PointsToBSpline
    from OCP.TColgp import TColgp_Array1OfPnt

    n = 41
    spots = TColgp_Array1OfPnt(1, n)
    for k in range(n):
        angle = 2 * np.pi * k / (n - 1)
        spots.SetValue(k + 1, gp_Pnt(5 * np.cos(angle), 5 * np.sin(angle), 6 * k / (n - 1)))
    curve = GeomAPI_PointsToBSpline(spots).Curve()
    start, way = gp_Pnt(), gp_Vec()
    curve.D1(curve.FirstParameter(), start, way)
    ring = GC_MakeCircle(gp_Ax2(start, gp_Dir(way)), 1.0).Value()
    wire = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(ring).Edge()).Wire()
    spine = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(curve).Edge()).Wire()
    return BRepOffsetAPI_MakePipe(spine, BRepBuilderAPI_MakeFace(wire).Face()).Shape()


def perforated() -> TopoDS_Shape:
    plate = box(0, 0, 0, 13, 7, 1)
    for i in range(6):
        for j in range(3):
            plate = cut(plate, cylinder((1.5 + 2 * i, 1.5 + 2 * j, -1), (0, 0, 1), 0.5, 3))
    return plate


_TWENTY = np.radians(20)

# name: shape, smallest and largest edge
HARD = {
    "thin slot": (lambda: cut(box(0, 0, 0, 10, 10, 10), box(4.9, -1, 4, 5.1, 11, 11)), 0.15, 0.9),
    "sphere near a wall": (
        lambda: cut(box(0, 0, 0, 10, 10, 10), sphere((5, 5, 2.1), 2)),
        0.08,
        0.9,
    ),
    "torus": (lambda: BRepPrimAPI_MakeTorus(10, 3).Shape(), 0.6, 0.9),
    "pipes crossing at 20°": (
        lambda: fuse(
            cylinder((0, 0, 0), (1, 0, 0), 1, 16),
            cylinder((0, -8 * np.tan(_TWENTY), 0), (np.cos(_TWENTY), np.sin(_TWENTY), 0), 0.8, 17),
        ),
        0.12,
        0.3,
    ),
    "thin plate": (lambda: box(0, 0, 0, 20, 20, 0.1), 0.1, 0.25),
    "cone tip": (lambda: BRepPrimAPI_MakeCone(5, 0, 8).Shape(), 0.2, 0.6),
    "helix": (helix, 0.3, 0.4),
    "corner on a face": (lambda: fuse(box(0, 0, 0, 4, 4, 4), box(3, 3, 4, 6, 6, 7)), 0.3, 0.4),
    "long channel": (lambda: box(0, 0, 0, 100, 1, 1), 0.15, 0.18),
    "perforated plate": (perforated, 0.2, 0.4),
    "pocket": (lambda: cut(box(0, 0, 0, 10, 10, 10), box(4.9, 2, 5, 5.1, 8, 10)), 0.15, 0.9),
    "corner cut out": (lambda: cut(box(0, 0, 0, 10, 10, 10), box(5, 5, -1, 11, 11, 11)), 0.5, 0.7),
    "hollow": (lambda: cut(box(0, 0, 0, 10, 10, 10), box(3, 3, 3, 7, 7, 7)), 0.5, 0.7),
}  # fmt: skip


def moved(shape: TopoDS_Shape, seed: int) -> tuple[TopoDS_Shape, float]:
    """The shape turned, shifted and scaled at random; the scale."""
    rng = np.random.default_rng(seed)
    scale = float(10 ** rng.uniform(-2, 2))
    turn, shift, grow = gp_Trsf(), gp_Trsf(), gp_Trsf()
    axis = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(*rng.normal(size=3)))
    turn.SetRotation(axis, float(rng.uniform(0, 2 * np.pi)))
    shift.SetTranslation(gp_Vec(*(rng.normal(size=3) * 30)))
    grow.SetScale(gp_Pnt(0, 0, 0), scale)
    return BRepBuilderAPI_Transform(
        shape, grow.Multiplied(shift.Multiplied(turn)), True
    ).Shape(), scale
