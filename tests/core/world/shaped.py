"""CAD of the set: lofted, swept, filleted, threaded, drilled, split and assembled."""

import contextlib
import math
from functools import partial

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_NurbsConvert,
)
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepLib import BRepLib
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipeShell, BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeRevol,
    BRepPrimAPI_MakeSphere,
)
from OCP.GC import GC_MakeCircle
from OCP.Geom import Geom_CylindricalSurface
from OCP.Geom2d import Geom2d_Line
from OCP.GeomAbs import GeomAbs_Shape
from OCP.GeomAPI import GeomAPI_Interpolate, GeomAPI_PointsToBSplineSurface
from OCP.gp import gp_Ax1, gp_Ax2, gp_Ax3, gp_Dir, gp_Dir2d, gp_Pnt, gp_Pnt2d, gp_Vec
from OCP.TColgp import TColgp_Array2OfPnt, TColgp_HArray1OfPnt
from OCP.TopoDS import TopoDS_Face, TopoDS_Shape, TopoDS_Wire

from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.cad.part import Part
from intaglio.cad.read import compound
from tests.core.shapes import box, cut, cylinder, fuse
from tests.core.world.model import Model, as_facets, grown


def _closed_spline(points: np.ndarray) -> TopoDS_Wire:
    held = TColgp_HArray1OfPnt(1, len(points))
    for k, p in enumerate(points):
        held.SetValue(k + 1, gp_Pnt(*map(float, p)))
    fit = GeomAPI_Interpolate(held, True, 1e-6)
    fit.Perform()
    return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(fit.Curve()).Edge()).Wire()


def _lofted(wires: list[TopoDS_Wire], ruled: bool = False) -> TopoDS_Shape:
    loft = BRepOffsetAPI_ThruSections(True, ruled, 1e-5)
    for wire in wires:
        loft.AddWire(wire)
    loft.CheckCompatibility(False)
    loft.Build()
    return loft.Shape()


def _edges_at(shape: TopoDS_Shape, keep) -> list:
    """Edges whose middle `keep` accepts, each once."""
    found = []
    for edge in Part(shape, "mm").edges:
        if BRep_Tool.Degenerated_s(edge):
            continue
        curve = BRepAdaptor_Curve(edge)
        p = curve.Value(0.5 * (curve.FirstParameter() + curve.LastParameter()))
        if keep(p.X(), p.Y(), p.Z()):
            found.append(edge)
    return found


def _rounded(shape: TopoDS_Shape, edges: list, start: float, end: float | None = None):
    fillet = BRepFilletAPI_MakeFillet(shape)
    for edge in edges:
        if end is None:
            fillet.Add(start, edge)
        else:
            fillet.Add(start, end, edge)
    fillet.Build()
    return fillet.Shape()


def _rounded_if_it_can(shape: TopoDS_Shape, edges: list, radii: tuple[float, ...]) -> TopoDS_Shape:
    """Rounded by the first radius that the kernel can do, or as it was."""
    for radius in radii:
        with contextlib.suppress(*KERNEL_ERRORS):
            return _rounded(shape, edges, radius)
    return shape


def lofted(seed: int) -> TopoDS_Shape:
    """A forged arm: spline sections that swell, lean and turn, rounded ends, a bored boss."""
    rng = np.random.default_rng(seed)
    wires = []
    for k in range(5):
        turn = np.linspace(0, 2 * np.pi, 12, endpoint=False)
        a, b = rng.uniform(6, 10), rng.uniform(3, 6)
        lean = 0.15 * k
        y = a * np.cos(turn) * (1 + 0.1 * np.cos(3 * turn + rng.uniform(0, 6)))
        z = b * np.sin(turn)
        ring = np.column_stack(
            [
                np.full(12, 15.0 * k),
                y * math.cos(lean) - z * math.sin(lean) + rng.uniform(-2, 2),
                y * math.sin(lean) + z * math.cos(lean),
            ]
        )
        wires.append(_closed_spline(ring))
    arm = _lofted(wires)
    ends = _edges_at(arm, lambda x, y, z: x < 0.1 or x > 59.9)
    arm = _rounded_if_it_can(arm, ends, (0.8, 0.4, 0.2, 0.1))
    arm = fuse(arm, cylinder((30, 0, -12), (0, 0, 1), 7, 24))
    return cut(arm, cylinder((30, 0, -13), (0, 0, 1), 4, 26))


def _rectangle(x: float, half_y: float, half_z: float, y: float) -> TopoDS_Wire:
    corners = [(-half_y, -half_z), (half_y, -half_z), (half_y, half_z), (-half_y, half_z)]
    make = BRepBuilderAPI_MakeWire()
    for k in range(4):
        (a, b), (c, d) = corners[k], corners[(k + 1) % 4]
        make.Add(BRepBuilderAPI_MakeEdge(gp_Pnt(x, a + y, b), gp_Pnt(x, c + y, d)).Edge())
    return make.Wire()


def _arcs(x: float, r: float, y: float) -> TopoDS_Wire:
    """A circle in four arcs, from the corner where `_rectangle` starts."""
    make = BRepBuilderAPI_MakeWire()
    circle = GC_MakeCircle(gp_Ax2(gp_Pnt(x, y, 0), gp_Dir(1, 0, 0), gp_Dir(0, 1, 0)), r).Value()
    for k in range(4):
        start = -0.75 * math.pi + 0.5 * math.pi * k
        make.Add(BRepBuilderAPI_MakeEdge(circle, start, start + 0.5 * math.pi).Edge())
    return make.Wire()


def duct(seed: int) -> TopoDS_Shape:
    """The fluid of a duct that turns from a rectangle to a narrow throat and a round outlet."""
    rng = np.random.default_rng(100 + seed)
    throat = rng.uniform(3.0, 4.5)
    return _lofted(
        [
            _rectangle(0, 14, 8, 0),
            _rectangle(25, 10, 6, rng.uniform(-3, 3)),
            _rectangle(45, throat, throat, rng.uniform(-3, 3)),
            _arcs(75, rng.uniform(6, 9), rng.uniform(-4, 4)),
        ]
    )


def run_out(seed: int) -> TopoDS_Shape:
    """A stepped block whose fillets run out to next to nothing."""
    rng = np.random.default_rng(200 + seed)
    h = rng.uniform(6, 12)
    block = fuse(box(0, 0, 0, 60, 30, 10), box(15, 5, 10, 45, 25, 10 + h))
    tops = _edges_at(block, lambda x, y, z: z > 10.1 and 10.2 < z < 10 + h - 0.2)
    block = _rounded(block, tops, rng.uniform(1.5, 3), 0.02)
    return _rounded(block, _edges_at(block, lambda x, y, z: abs(z - 5) < 0.1), 4.0, 0.5)


def thread(seed: int) -> TopoDS_Shape:
    """A bolt with a helical ridge."""
    rng = np.random.default_rng(300 + seed)
    radius, pitch, turns = 8.0, rng.uniform(3, 5), 4
    surface = Geom_CylindricalSurface(gp_Ax3(gp_Pnt(0, 0, 3), gp_Dir(0, 0, 1)), radius - 0.2)
    line = Geom2d_Line(gp_Pnt2d(0, 0), gp_Dir2d(2 * math.pi, pitch))
    length = turns * math.hypot(2 * math.pi, pitch)
    edge = BRepBuilderAPI_MakeEdge(line, surface, 0.0, length).Edge()
    BRepLib.BuildCurves3d_s(edge)
    spine = BRepBuilderAPI_MakeWire(edge).Wire()
    w = 0.35 * pitch
    corners = [(radius - 0.2, 3 - w), (radius + 1.2, 3.0), (radius - 0.2, 3 + w)]
    profile = BRepBuilderAPI_MakeWire()
    for k in range(3):
        (a, b), (c, d) = corners[k], corners[(k + 1) % 3]
        profile.Add(BRepBuilderAPI_MakeEdge(gp_Pnt(a, 0, b), gp_Pnt(c, 0, d)).Edge())
    sweep = BRepOffsetAPI_MakePipeShell(spine)
    sweep.SetMode(True)
    sweep.Add(profile.Wire())
    sweep.Build()
    sweep.MakeSolid()
    return fuse(BRepPrimAPI_MakeCylinder(radius, 3 * 2 + pitch * turns).Shape(), sweep.Shape())


def plate(seed: int, nx: int = 8, ny: int = 5) -> TopoDS_Shape:
    """A plate with nx by ny holes."""
    rng = np.random.default_rng(400 + seed)
    thick = rng.uniform(1.5, 4)
    whole = box(0, 0, 0, 10 * nx, 10 * ny, thick)
    holes = [
        cylinder((5 + 10 * i, 5 + 10 * j, -1), (0, 0, 1), rng.uniform(2, 3.5), thick + 2)
        for i in range(nx)
        for j in range(ny)
    ]
    return cut(whole, compound(holes))


def split(seed: int) -> TopoDS_Shape:
    """A rounded body whose faces are cut by edges without meaning, some very near each other."""
    rng = np.random.default_rng(500 + seed)
    body = fuse(cylinder((0, 0, 0), (1, 0, 0), 10, 60), box(5, -7, -14, 50, 7, 0))
    at = sorted(rng.uniform(8, 52, 4).tolist())
    at.append(at[1] + 0.05)
    pieces, low = [], -1.0
    for x in [*sorted(at), 61.0]:
        whole = box(low, -30, -30, x, 30, 30)
        pieces.append(BRepAlgoAPI_Common(body, whole).Shape())
        low = x
    out = pieces[0]
    for piece in pieces[1:]:
        out = BRepAlgoAPI_Fuse(out, piece).Shape()
    return out


def wavy(seed: int, fine: int = 8) -> TopoDS_Shape:
    """A slab between waves, of as many poles as asked for."""
    rng = np.random.default_rng(600 + seed)
    grid = TColgp_Array2OfPnt(1, fine, 1, fine)
    phase = rng.uniform(0, 6, 2)
    for i in range(fine):
        for j in range(fine):
            u, v = i / (fine - 1), j / (fine - 1)
            z = 2.5 * math.sin(5 * u + phase[0]) * math.cos(4 * v + phase[1])
            grid.SetValue(i + 1, j + 1, gp_Pnt(40 * u, 30 * v, z))
    surface = GeomAPI_PointsToBSplineSurface(grid, 3, 8, GeomAbs_Shape.GeomAbs_C2, 1e-4).Surface()
    face = BRepBuilderAPI_MakeFace(surface, 1e-6).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, rng.uniform(5, 9))).Shape()


def nurbs(seed: int) -> TopoDS_Shape:
    """A drilled, rounded block with every surface as NURBS."""
    rng = np.random.default_rng(700 + seed)
    block = box(0, 0, 0, 30, 20, 15)
    edges = _edges_at(block, lambda x, y, z: abs(z - 7.5) < 0.1)
    block = _rounded(block, edges, rng.uniform(2, 5))
    block = cut(block, cylinder((15, 10, -1), (0.2, 0.1, 1), rng.uniform(3, 6), 20))
    return BRepBuilderAPI_NurbsConvert(block).Shape()


def turned(seed: int) -> TopoDS_Shape:
    """A turned body, its profile a spline between steps."""
    rng = np.random.default_rng(800 + seed)
    n = 9
    held = TColgp_HArray1OfPnt(1, n)
    for k in range(n):
        held.SetValue(k + 1, gp_Pnt(6.0 * k, 0, float(rng.uniform(4, 9))))
    fit = GeomAPI_Interpolate(held, False, 1e-6)
    fit.Perform()
    curve = fit.Curve()
    a, b = curve.Value(curve.FirstParameter()), curve.Value(curve.LastParameter())
    base, tip = gp_Pnt(a.X(), 0, 0), gp_Pnt(b.X(), 0, 0)
    make = BRepBuilderAPI_MakeWire()
    for edge in (
        BRepBuilderAPI_MakeEdge(base, a),
        BRepBuilderAPI_MakeEdge(curve),
        BRepBuilderAPI_MakeEdge(b, tip),
        BRepBuilderAPI_MakeEdge(tip, base),
    ):
        make.Add(edge.Edge())
    face: TopoDS_Face = BRepBuilderAPI_MakeFace(make.Wire()).Face()
    return BRepPrimAPI_MakeRevol(face, gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0))).Shape()


def manifold(seed: int) -> TopoDS_Shape:
    """The fluid of a header: a wide pipe and four of different width, at odd angles."""
    rng = np.random.default_rng(900 + seed)
    out = cylinder((0, 0, 0), (1, 0, 0), 6, 60)
    for k in range(4):
        lean = rng.uniform(-0.5, 0.5)
        out = fuse(
            out,
            cylinder((9 + 14 * k, 0, 0), (lean, math.sin(k), math.cos(k)), rng.uniform(1, 4), 22),
        )
    return out


def knob(seed: int) -> TopoDS_Shape:
    """Spheres and cylinders grown together, rounded where they meet."""
    rng = np.random.default_rng(1000 + seed)
    ball = BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), 10.0).Shape()
    out = fuse(ball, cylinder((0, 0, 0), (1, 0, 0), rng.uniform(3, 5), 30))
    edges = _edges_at(out, lambda x, y, z: 5 < x < 11)
    edges = [e for e in edges if BRepAdaptor_Curve(e).GetType().name == "GeomAbs_Circle"]
    return _rounded(out, edges, rng.uniform(0.5, 2))


def assembly(seed: int, side: int = 3) -> TopoDS_Shape:
    """side² pins on a base, as bodies of their own that do not touch."""
    rng = np.random.default_rng(1100 + seed)
    bodies = [box(-5, -5, -6, 12 * side, 12 * side, -1)]
    for i in range(side):
        for j in range(side):
            at = (12.0 * i, 12.0 * j, 0.0)
            bodies.append(cylinder(at, (0, 0, 1), rng.uniform(2, 5), rng.uniform(5, 20)))
    return compound(bodies)


def _family(name: str, make, count: int, **given) -> list[Model]:
    return [Model(f"{name} {k}", name, partial(make, k, **given)) for k in range(count)]


def _small(k: int) -> TopoDS_Shape:
    return grown((lofted, nurbs, manifold)[k % 3](50 + k), 1e-3)


def _large(k: int) -> TopoDS_Shape:
    return grown((duct, turned, run_out)[k % 3](50 + k), 250.0)


def _coarse(k: int):
    return as_facets((lofted, knob, manifold, nurbs, turned, duct)[k % 6](70 + k), 4e-3)


SHAPED = (
    *_family("lofted", lofted, 6),
    *_family("duct", duct, 6),
    *_family("fillets that run out", run_out, 6),
    *_family("thread", thread, 3),
    *_family("plate with holes", plate, 4),
    *_family("split by edges", split, 6),
    *_family("waves, few poles", wavy, 3, fine=7),
    *_family("waves, many poles", wavy, 3, fine=40),
    *_family("nurbs", nurbs, 4),
    *_family("turned", turned, 5),
    *_family("header", manifold, 6),
    *_family("knob", knob, 5),
    *_family("assembly", assembly, 2),
    *_family("tiny", _small, 3),
    *_family("huge", _large, 3),
    *_family("coarse facets", _coarse, 6),
    Model("plate of 600 holes", "plate with holes", partial(plate, 9, 30, 20), slow=True),
    Model("assembly of 200", "assembly", partial(assembly, 9, 14), slow=True),
)  # fmt: skip
