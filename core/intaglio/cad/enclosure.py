"""Enclosing shapes: box, cylinder, sphere, frustum, whole or half, with named sides; and the wedge
that cuts a sector."""

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Shape

from intaglio.cad.enclosing import AXES, Enclosure, Floats
from intaglio.cad.measures import centroid
from intaglio.cad.normals import face_normal
from intaglio.cad.part import Part


def _pnt(p: Floats) -> gp_Pnt:
    return gp_Pnt(*(float(x) for x in p))


def enclosure_part(e: Enclosure, unit: str) -> Part:
    """The enclosure as a solid whose faces are named: ahead, behind, left, right, above, below,
    around, symmetry."""
    if e.shape == "box":
        shape = BRepPrimAPI_MakeBox(_pnt(e.low), _pnt(e.high)).Shape()
    elif e.shape == "sphere":
        shape = BRepPrimAPI_MakeSphere(_pnt(0.5 * (e.low + e.high)), e.radius).Shape()
    else:
        axis = int(np.abs(e.along).argmax())
        start = 0.5 * (e.low + e.high)
        start[axis] = e.low[axis] if e.along[axis] > 0 else e.high[axis]
        frame = gp_Ax2(_pnt(start), gp_Dir(*(float(x) for x in e.along)))
        height = float((e.high - e.low)[axis])
        if e.end_radius == e.radius:
            shape = BRepPrimAPI_MakeCylinder(frame, e.radius, height).Shape()
        else:
            shape = BRepPrimAPI_MakeCone(frame, e.radius, e.end_radius, height).Shape()
    if e.symmetry is not None and e.shape != "box":
        shape = _half(shape, e)
    plain = Part(shape, unit, ("enclosure",))
    names = tuple(_side_name(e, plain, k) for k in range(len(plain.faces)))
    return Part(shape, unit, ("enclosure",), names)


def _half(shape: TopoDS_Shape, e: Enclosure) -> TopoDS_Shape:
    assert e.symmetry is not None
    k, at = e.symmetry
    widest = max(e.radius, e.end_radius)
    low, high = e.low - 2 * widest, e.high + 2 * widest
    low[k] = at
    high[k] = max(high[k], at + 4 * widest)
    return BRepAlgoAPI_Common(shape, BRepPrimAPI_MakeBox(_pnt(low), _pnt(high)).Shape()).Shape()


def _side_name(e: Enclosure, part: Part, k: int) -> str:
    centre = centroid(part.faces[k])
    normal = face_normal(part.faces[k], centre)
    axis = int(np.abs(normal).argmax())
    flat = abs(abs(normal[axis]) - 1) < 1e-9
    size = float(np.linalg.norm(e.high - e.low))
    if e.symmetry is not None and flat and axis == e.symmetry[0] and normal[axis] < 0:
        on_plane = abs(centre[axis] - e.symmetry[1]) < 1e-7 * size
    else:
        on_plane = False
    if on_plane:
        return "symmetry"
    flow = int(np.abs(e.along).argmax())
    if e.shape == "sphere" or (e.shape != "box" and axis != flow):
        return "around"
    if not flat:
        return "around"
    if axis == flow:
        return "ahead" if normal @ e.along < 0 else "behind"
    up = 2 if flow != 2 else 1
    if axis == up:
        return "above" if normal[axis] > 0 else "below"
    return "left" if normal[axis] * e.along[flow] > 0 else "right"


def wedge_part(
    low: Floats, high: Floats, axis: str, through: Floats, start: float, sectors: int, unit: str
) -> Part:
    """A wedge about an axis that holds one of so many sectors, larger than the box low..high; its
    flat sides are named periodic_1 (at the start angle) and periodic_2."""
    k = AXES[axis]
    corners = np.array([[(low, high)[(c >> i) & 1][i] for i in range(3)] for c in range(8)])
    off = np.delete(corners - through, k, axis=1)
    radius = 1.2 * float(np.linalg.norm(off, axis=1).max())
    begin = np.array(through, float)
    begin[k] = low[k] - 0.1 * float(np.linalg.norm(high - low))
    height = float((high - low)[k]) + 0.2 * float(np.linalg.norm(high - low))
    direction, first = np.zeros(3), np.zeros(3)
    direction[k] = 1.0
    turn = np.radians(start)
    first[(k + 1) % 3], first[(k + 2) % 3] = np.cos(turn), np.sin(turn)
    frame = gp_Ax2(
        _pnt(begin), gp_Dir(*(float(x) for x in direction)), gp_Dir(*(float(x) for x in first))
    )
    shape = BRepPrimAPI_MakeCylinder(frame, radius, height, 2 * np.pi / sectors).Shape()
    plain = Part(shape, unit, ("wedge",))
    names = []
    ahead = np.cross(direction, first)
    for face in plain.faces:
        centre = centroid(face)
        normal = face_normal(face, centre)
        to_axis = np.abs(np.delete(normal, k)).max() > 1e-9
        on_start = abs((centre - through) @ ahead) < 1e-9 * radius and abs(normal @ first) < 1e-9
        end = first * np.cos(2 * np.pi / sectors) + ahead * np.sin(2 * np.pi / sectors)
        on_end = abs(normal @ end) < 1e-9 and abs((centre - through) @ np.cross(direction, end)) < (
            1e-9 * radius
        )
        if to_axis and on_start:
            names.append("periodic_1")
        elif to_axis and on_end:
            names.append("periodic_2")
        else:
            names.append("")
    return Part(shape, unit, ("wedge",), tuple(names))
