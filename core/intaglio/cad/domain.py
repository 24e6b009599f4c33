"""Getting the fluid: openings of a part, the pin, and the space that closing openings leaves.

The faces of a solid are neighbours across shared edges. Closing an opening cuts them apart along
its loop. What then still hangs together is one side of a wall: the outside, or the wall of a space.
A space whose every rim is a closed opening is bounded by its wall faces and the closing faces.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepLib import BRepLib
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.gp import gp_Pnt
from OCP.ShapeFix import ShapeFix_Shape
from OCP.TopAbs import TopAbs_ShapeEnum, TopAbs_State
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape, TopoDS_Solid, TopoDS_Wire

from intaglio.cad.capping import cap_face, flush_face
from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.cad.measures import area, bounds, centroid, once, volume
from intaglio.cad.normals import face_normal, plane_normal, surface_of
from intaglio.cad.part import Part
from intaglio.cad.tessellation import as_shown, tessellate
from intaglio.cad.topology import edge_samples
from intaglio.errors import StepFailed
from intaglio.triangles.measures import triangle_areas, triangle_normals

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Opening:
    """A closed loop of edges inside a face of the part, where material ends.

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


def inner_wires(face: TopoDS_Face) -> list[TopoDS_Wire]:
    """Loops of a face inside its outer one."""
    outer = BRepTools.OuterWire_s(face)
    walk = TopExp_Explorer(face, TopAbs_ShapeEnum.TopAbs_WIRE)
    wires = []
    while walk.More():
        wire = TopoDS.Wire_s(walk.Current())
        if not wire.IsSame(outer):
            wires.append(wire)
        walk.Next()
    return wires


def edges_of(part: Part, shape: TopoDS_Shape) -> list[int]:
    """Numbers of the edges of a shape of the part, but for poles."""
    walk = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_EDGE)
    out = []
    while walk.More():
        edge = TopoDS.Edge_s(walk.Current())
        if not BRep_Tool.Degenerated_s(edge):
            out.append(part.edge_map.FindIndex(edge) - 1)
        walk.Next()
    return out


def _closing_face(edges: list[TopoDS_Edge], host: TopoDS_Face) -> TopoDS_Face:
    """A face on a loop of a host face: flush with it where it is curved, else flat."""
    if surface_of(host).GetType() != GeomAbs_SurfaceType.GeomAbs_Plane:
        flush = flush_face(edges, host)
        if flush is not None:
            return flush
    return cap_face(edges)


def faces_at_edges(part: Part) -> dict[int, list[int]]:
    """Numbers of the faces at each edge, each face once."""

    def gathered() -> dict[int, list[int]]:
        out: dict[int, list[int]] = {}
        for number, face in enumerate(part.faces):
            for e in dict.fromkeys(edges_of(part, face)):
                out.setdefault(e, []).append(number)
        return out

    return once("faces at edges", part.shape, gathered, turned=True)


def goes_in(part: Part, edges: list[int], other: dict[int, list[int]], face: int) -> bool:
    """Whether beyond the loop the surface goes into the material: a hole, not a boss."""
    if surface_of(part.faces[face]).GetType() == GeomAbs_SurfaceType.GeomAbs_Plane:
        normal = plane_normal(part.faces[face])
        level = float(centroid(part.faces[face]) @ normal)
    else:
        rim = np.concatenate([edge_samples(part.edges[e], 9) for e in edges])
        normal = np.mean([face_normal(part.faces[face], p) for p in rim[::4]], axis=0)
        normal /= max(float(np.linalg.norm(normal)), 1e-12)
        level = float((rim @ normal).mean())
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


_FAILURES: tuple[type[Exception], ...] = (StepFailed, *KERNEL_ERRORS)


def openings(part: Part) -> list[Opening]:
    """Openings of a part, largest first."""
    return find_openings(part)[0]


def find_openings(part: Part) -> tuple[list[Opening], list[list[float]]]:
    """Openings of a part, largest first, and the places of loops that the kernel could not close
    with a face, so that nothing is known of an opening there."""
    at_edges = faces_at_edges(part)
    found = []
    lost: list[list[float]] = []
    for number, face in enumerate(part.faces):
        for wire in inner_wires(face):
            edges = edges_of(part, wire)
            if not edges or not goes_in(part, edges, at_edges, number):
                continue
            try:
                cap = _closing_face([part.edges[e] for e in edges], face)
            except _FAILURES:
                rim = np.concatenate([edge_samples(part.edges[e], 9) for e in edges])
                lost.append(rim.mean(axis=0).tolist())
                continue
            middle = centroid(cap)
            found.append((area(cap), number, tuple(edges), middle, face_normal(face, middle)))
    found.sort(key=lambda f: (-round(f[0], 6), f[1], f[2]))
    out = [
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
    return out, lost


def _pieces(part: Part, closed: list[Opening]) -> list[int]:
    """Piece number of each face after cutting along the loops of closed openings."""
    barrier = {e for o in closed for e in o.edges}
    parent = list(range(len(part.faces)))

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    for e, faces in faces_at_edges(part).items():
        if e in barrier:
            continue
        for f in faces[1:]:
            parent[root(f)] = root(faces[0])
    return [root(i) for i in range(len(part.faces))]


def _wall_piece(part: Part, piece: list[int], opening: Opening) -> int:
    """The piece on the hole's side of an opening's loop."""
    at_edges = faces_at_edges(part)
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
    facets, _ = as_shown(part, [])
    for solid in part.solids:
        own = np.zeros(len(part.faces), bool)
        own[[part.face_map.FindIndex(f) - 1 for f in Part(solid, part.unit).faces]] = True
        triangles = facets.triangles[own[facets.region]]
        region = facets.region[own[facets.region]]
        if not len(triangles):
            continue
        nodes = np.unique(triangles)
        for direction in directions:
            node = nodes[(facets.points[nodes] @ direction).argmax()]
            out |= set(region[(triangles == node).any(axis=1)].tolist())
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


def contains(solid: TopoDS_Shape, point: Floats, tolerance: float) -> bool:
    """Whether a point (3,) lies inside a solid, farther from its faces than the tolerance."""
    state = BRepClass3d_SolidClassifier(solid, gp_Pnt(*point), tolerance).State()
    return bool(state == TopAbs_State.TopAbs_IN)


def _pin_behind(solid: TopoDS_Shape, opening: Opening, tolerance: float) -> Floats | None:
    """A point inside the space, behind the middle of an opening."""
    for share in (0.5, 0.2, 0.05, 0.01):
        spot = np.array(opening.centre) - share * opening.diameter * np.array(opening.normal)
        if contains(solid, spot, tolerance):
            return spot
    return None


def cap_of(part: Part, opening: Opening) -> TopoDS_Face:
    """The face that closes an opening."""
    return _closing_face([part.edges[e] for e in opening.edges], part.faces[opening.face])


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
    behind: dict[int, list[Opening]] = {}
    for o in found:
        behind.setdefault(_wall_piece(part, piece, o), []).append(o)
    out = []
    for number in sorted(set(piece) - outer):
        rim = behind.get(number, [])
        solid = _body(
            part, [f for f, p in enumerate(piece) if p == number], [cap_of(part, o) for o in rim]
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
        if contains(solid, spot, tolerance):
            return spot
    return _behind_a_face(solid, tolerance)


def _behind_a_face(solid: TopoDS_Shape, tolerance: float) -> Floats | None:
    """A point inside a thin or slanting solid: a little way in from one of its largest facets."""
    low, high = bounds(solid)
    part = Part(solid, "")
    facets, _ = tessellate(part, 0.01 * float(np.linalg.norm(high - low)), 0.5, [])
    area = triangle_areas(facets.points, facets.triangles)
    normal = triangle_normals(facets.points, facets.triangles)
    for t in np.argsort(-area)[:50]:
        centre = facets.points[facets.triangles[t]].mean(axis=0)
        for depth in np.sqrt(area[t]) * 0.5 ** np.arange(1, 16):
            for way in (-depth, depth):
                if contains(solid, centre + way * normal[t], tolerance):
                    return centre + way * normal[t]
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
    if contains(part.shape, spot, tolerance):
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
        solid = _body(part, walls, [cap_of(part, o) for o in rim])
        if solid is None or not contains(solid, spot, tolerance):
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
    return contains(fluid.part.shape, spot, 1e-7 * float(np.linalg.norm(high - low)))


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
