"""Getting the fluid: openings of a part, the pin, and the space that closing openings leaves.

The faces of a solid are neighbours across shared edges. Closing an opening cuts them apart along
its loop. What then still hangs together is one side of a wall: the outside, or the wall of a space.
A space whose every rim is a closed opening is bounded by its wall faces and the closing faces.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepLib import BRepLib
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.gp import gp_Pnt
from OCP.ShapeFix import ShapeFix_Shape
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum, TopAbs_State
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Solid, TopoDS_Wire

from intaglio.cad.part import Part, area, bounds, centroid, volume
from intaglio.cad.tessellation import tessellate
from intaglio.errors import StepFailed

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Opening:
    """A closed loop of edges on a planar face of the part, where material ends.

    name: `opening_1` …, largest first; face, edges: numbers in the part; centre (3,) and area of
    the closing face, normal (3,) out of the part; diameter of the circle of equal area.
    """

    name: str
    face: int
    edges: tuple[int, ...]
    centre: tuple[float, float, float]
    normal: tuple[float, float, float]
    area: float
    diameter: float


@dataclass(frozen=True)
class Space:
    """A closed space: the openings that bound it, and its volume."""

    openings: tuple[str, ...]
    volume: float
    pin: tuple[float, float, float]


@dataclass(frozen=True)
class Fluid:
    """The fluid body. source[k] says where its face k comes from: ("face", number in the part) or
    ("opening", name). pin is a point inside."""

    part: Part
    source: tuple[tuple[str, str], ...]
    pin: tuple[float, float, float]


def _inner_wires(face: TopoDS_Face) -> list[TopoDS_Wire]:
    outer = BRepTools.OuterWire_s(face)
    walk = TopExp_Explorer(face, TopAbs_ShapeEnum.TopAbs_WIRE)
    wires = []
    while walk.More():
        wire = TopoDS.Wire_s(walk.Current())
        if not wire.IsSame(outer):
            wires.append(wire)
        walk.Next()
    return wires


def _edges_of(part: Part, shape: TopoDS_Shape) -> list[int]:
    walk = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_EDGE)
    out = []
    while walk.More():
        edge = TopoDS.Edge_s(walk.Current())
        if not BRep_Tool.Degenerated_s(edge):
            out.append(part.edge_map.FindIndex(edge) - 1)
        walk.Next()
    return out


def plane_normal(face: TopoDS_Face) -> Floats:
    """Unit normal of a planar face, out of the material."""
    d = BRepAdaptor_Surface(face).Plane().Axis().Direction()
    normal = np.array([d.X(), d.Y(), d.Z()])
    plane_flipped = not BRepAdaptor_Surface(face).Plane().Direct()
    if plane_flipped:
        normal = -normal
    return -normal if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else normal


def _closing_face(wire: TopoDS_Wire) -> TopoDS_Face | None:
    tool = BRepBuilderAPI_MakeWire()
    walk = TopExp_Explorer(wire, TopAbs_ShapeEnum.TopAbs_EDGE)
    while walk.More():
        tool.Add(TopoDS.Edge_s(walk.Current().Oriented(TopAbs_Orientation.TopAbs_FORWARD)))
        walk.Next()
    source = tool.Wire() if tool.IsDone() else wire
    face = BRepBuilderAPI_MakeFace(source, True)
    return face.Face() if face.IsDone() else None


def _faces_at_edges(part: Part) -> dict[int, list[int]]:
    out: dict[int, list[int]] = {}
    for number, face in enumerate(part.faces):
        for e in dict.fromkeys(_edges_of(part, face)):
            out.setdefault(e, []).append(number)
    return out


def _goes_in(part: Part, edges: list[int], other: dict[int, list[int]], face: int) -> bool:
    """Whether beyond the loop the surface goes into the material: a hole, not a boss."""
    normal = plane_normal(part.faces[face])
    level = float(centroid(part.faces[face]) @ normal)
    depth = 0.0
    for e in edges:
        for neighbour in other[e]:
            if neighbour == face:
                continue
            low, high = bounds(part.faces[neighbour])
            corners = np.array([[(low, high)[(k >> i) & 1][i] for i in range(3)] for k in range(8)])
            heights = corners @ normal - level
            depth += heights.max() + heights.min()
    return depth < 0.0


def openings(part: Part) -> list[Opening]:
    """Openings of a part, largest first."""
    at_edges = _faces_at_edges(part)
    found = []
    for number, face in enumerate(part.faces):
        if BRepAdaptor_Surface(face).GetType() != GeomAbs_SurfaceType.GeomAbs_Plane:
            continue
        for wire in _inner_wires(face):
            edges = _edges_of(part, wire)
            cap = _closing_face(wire)
            if not edges or cap is None or not _goes_in(part, edges, at_edges, number):
                continue
            size = area(cap)
            found.append((size, number, tuple(edges), centroid(cap), plane_normal(face)))
    found.sort(key=lambda f: (-round(f[0], 6), f[1], f[2]))
    return [
        Opening(
            f"opening_{k + 1}",
            number,
            edges,
            tuple(float(x) for x in centre),  # type: ignore[arg-type]
            tuple(float(x) for x in normal),  # type: ignore[arg-type]
            size,
            2.0 * float(np.sqrt(size / np.pi)),
        )
        for k, (size, number, edges, centre, normal) in enumerate(found)
    ]


def _pieces(part: Part, closed: list[Opening]) -> list[int]:
    """Piece number of each face after cutting along the loops of closed openings."""
    barrier = {e for o in closed for e in o.edges}
    parent = list(range(len(part.faces)))

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    for e, faces in _faces_at_edges(part).items():
        if e in barrier:
            continue
        for f in faces[1:]:
            parent[root(f)] = root(faces[0])
    return [root(i) for i in range(len(part.faces))]


def _wall_piece(part: Part, piece: list[int], opening: Opening) -> int:
    """The piece on the hole's side of an opening's loop."""
    at_edges = _faces_at_edges(part)
    for e in opening.edges:
        for f in at_edges[e]:
            if f != opening.face:
                return piece[f]
    return piece[opening.face]


def _outer_faces(part: Part) -> set[int]:
    """For each solid one face or more that surely lie outside: those at its farthest points.

    The farthest point of a solid along a direction is never on the rim of a hole in a flat face,
    so all faces that meet there are outside faces.
    """
    out = set()
    directions = np.random.default_rng(7).normal(size=(3, 3))
    for solid in part.solids:
        body = Part(solid, part.unit)
        low, high = bounds(solid)
        facets, _ = tessellate(body, 0.01 * float(np.linalg.norm(high - low)), 0.5)
        for direction in directions:
            node = int((facets.points @ direction).argmax())
            at = np.flatnonzero((facets.triangles == node).any(axis=1))
            for region in np.unique(facets.region[at]):
                out.add(part.face_map.FindIndex(body.faces[region]) - 1)
    return out


def _body(part: Part, faces: list[int], caps: list[TopoDS_Face]) -> TopoDS_Solid | None:
    """A solid from wall faces and closing faces; None if they do not close."""
    low, high = bounds(part.shape)
    sewing = BRepBuilderAPI_Sewing(1e-6 * float(np.linalg.norm(high - low)))
    for f in faces:
        sewing.Add(part.faces[f])
    for cap in caps:
        sewing.Add(cap)
    sewing.Perform()
    if sewing.NbFreeEdges() > 0:
        return None
    builder = BRep_Builder()
    solid = TopoDS_Solid()
    builder.MakeSolid(solid)
    walk = TopExp_Explorer(sewing.SewedShape(), TopAbs_ShapeEnum.TopAbs_SHELL)
    shells = 0
    while walk.More():
        builder.Add(solid, walk.Current())
        shells += 1
        walk.Next()
    if shells == 0:
        return None
    BRepLib.OrientClosedSolid_s(solid)
    if volume(solid) < 0:
        solid.Reverse()
        fix = ShapeFix_Shape(solid)
        fix.Perform()
        solid = TopoDS.Solid_s(fix.Shape())
    return solid


def _inside(solid: TopoDS_Shape, point: Floats, tolerance: float) -> bool:
    state = BRepClass3d_SolidClassifier(solid, gp_Pnt(*point), tolerance).State()
    return bool(state == TopAbs_State.TopAbs_IN)


def _pin_behind(solid: TopoDS_Shape, opening: Opening, tolerance: float) -> Floats | None:
    """A point inside the space, behind the middle of an opening."""
    for share in (0.5, 0.2, 0.05, 0.01):
        spot = np.array(opening.centre) - share * opening.diameter * np.array(opening.normal)
        if _inside(solid, spot, tolerance):
            return spot
    return None


def _cap(part: Part, opening: Opening) -> TopoDS_Face:
    tool = BRepBuilderAPI_MakeWire()
    for e in opening.edges:
        tool.Add(part.edges[e])
    face = BRepBuilderAPI_MakeFace(tool.Wire(), True)
    if not face.IsDone():
        raise StepFailed(
            "cap", f"{opening.name} cannot be closed by a flat face.", [list(opening.centre)]
        )
    return face.Face()


def spaces(part: Part, found: list[Opening]) -> list[Space]:
    """Closed spaces when every opening to the outside is closed, largest first.

    An opening between two spaces (the tip of an inner pipe, say) stays open.
    """
    outside = _outer_faces(part)
    piece = _pieces(part, found)
    outer = {piece[f] for f in outside}
    found = [
        o for o in found if piece[o.face] in outer and _wall_piece(part, piece, o) not in outer
    ]
    piece = _pieces(part, found)
    outer = {piece[f] for f in outside}
    low, high = bounds(part.shape)
    tolerance = 1e-7 * float(np.linalg.norm(high - low))
    out = []
    for number in sorted(set(piece) - outer):
        rim = [o for o in found if _wall_piece(part, piece, o) == number]
        solid = _body(
            part, [f for f, p in enumerate(piece) if p == number], [_cap(part, o) for o in rim]
        )
        if solid is None:
            continue
        pin = next(
            (p for p in (_pin_behind(solid, o, tolerance) for o in rim) if p is not None), None
        )
        if pin is None:
            pin = any_inside(solid, tolerance)
        if pin is not None:
            out.append(
                Space(tuple(o.name for o in rim), volume(solid), tuple(float(x) for x in pin))  # type: ignore[arg-type]
            )
    return sorted(out, key=lambda s: -s.volume)


def any_inside(solid: TopoDS_Shape, tolerance: float) -> Floats | None:
    low, high = bounds(solid)
    rng = np.random.default_rng(1)
    for _ in range(400):
        spot = low + (high - low) * rng.random(3)
        if _inside(solid, spot, tolerance):
            return spot
    return None


def fluid_inside(
    part: Part, found: list[Opening], closed: list[str], pin: tuple[float, float, float]
) -> Fluid:
    """The space that holds the pin when the named openings are closed.

    Raises StepFailed: `pin-in-solid`, `pin-outside`, or `not-closed` naming the openings that are
    still open, with their centres as places.
    """
    spot = np.array(pin, float)
    low, high = bounds(part.shape)
    tolerance = 1e-7 * float(np.linalg.norm(high - low))
    if _inside(part.shape, spot, tolerance):
        raise StepFailed(
            "pin-in-solid",
            "The pin lies in solid material. Move it into the space where fluid is.",
            [list(pin)],
        )
    chosen = [o for o in found if o.name in closed]
    piece = _pieces(part, chosen)
    at = _nearest_face(part, spot)
    candidates = sorted(set(piece), key=lambda n: n != piece[at])
    outer = {piece[f] for f in _outer_faces(part)}
    for number in candidates:
        if number in outer:
            continue
        rim = [o for o in chosen if _wall_piece(part, piece, o) == number]
        walls = [f for f, p in enumerate(piece) if p == number]
        solid = _body(part, walls, [_cap(part, o) for o in rim])
        if solid is None or not _inside(solid, spot, tolerance):
            continue
        body = Part(solid, part.unit, ("fluid",))
        return Fluid(body, _sources(part, body, walls, rim), pin)
    if piece[at] in outer:
        needed = {
            n for s in spaces(part, found) if _holds(part, found, s, spot) for n in s.openings
        }
        open_ones = [o for o in found if o.name in needed and o.name not in closed]
        if open_ones:
            names = ", ".join(o.name for o in open_ones)
            raise StepFailed(
                "not-closed",
                f"The space at the pin is still open at {names}. Tick it to close it.",
                [list(o.centre) for o in open_ones],
            )
    raise StepFailed(
        "pin-outside",
        "The pin does not lie in a closed space of the part. "
        "Move it into the part, or close the openings around it.",
        [list(pin)],
    )


def _holds(part: Part, found: list[Opening], space: Space, spot: Floats) -> bool:
    """Whether a space, with all its openings closed, holds the pin."""
    try:
        fluid = fluid_inside(part, found, list(space.openings), space.pin)
    except StepFailed:
        return False
    low, high = bounds(fluid.part.shape)
    return _inside(fluid.part.shape, spot, 1e-7 * float(np.linalg.norm(high - low)))


def _nearest_face(part: Part, spot: Floats) -> int:
    vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*spot)).Vertex()
    best, at = np.inf, 0
    for number, face in enumerate(part.faces):
        distance = BRepExtrema_DistShapeShape(vertex, face).Value()
        if distance < best:
            best, at = distance, number
    return at


def _sources(
    part: Part, body: Part, walls: list[int], rim: list[Opening]
) -> tuple[tuple[str, str], ...]:
    """Where each face of the fluid body comes from, by centre and area of faces."""
    known = [
        (centroid(part.faces[f]), area(part.faces[f]), ("face", str(f + 1))) for f in walls
    ] + [(np.array(o.centre), o.area, ("opening", o.name)) for o in rim]
    scale = float(np.linalg.norm(np.subtract(*bounds(body.shape))))
    out = []
    for face in body.faces:
        c, a = centroid(face), area(face)
        misfit = [np.linalg.norm(c - k[0]) / scale + abs(a - k[1]) / scale**2 for k in known]
        out.append(known[int(np.argmin(misfit))][2])
    return tuple(out)


def fluid_as_is(part: Part) -> Fluid:
    """The part's largest solid taken as the fluid."""
    solid = max(part.solids, key=volume)
    body = Part(solid, part.unit, ("fluid",))
    low, high = bounds(solid)
    tolerance = 1e-7 * float(np.linalg.norm(high - low))
    pin = any_inside(solid, tolerance)
    if pin is None:
        raise StepFailed(
            "no-inside", "No point inside the part was found; is it turned inside out?"
        )
    source = tuple(("face", str(part.face_map.FindIndex(f))) for f in body.faces)
    return Fluid(body, source, tuple(float(x) for x in pin))  # type: ignore[arg-type]
