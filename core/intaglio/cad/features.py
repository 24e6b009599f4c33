"""Features that the flow may not need: holes, bosses, engraved marks, fillets, by size.

A feature bounded by loops on other faces is found by cutting along every inner loop of a face: what
then hangs together and is not the body's main surface is a hole, a boss or a mark. A fillet is a
strip of a round surface that meets its neighbours without an edge.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.TopAbs import TopAbs_ShapeEnum

from intaglio.cad.domain import edges_of, faces_at_edges, goes_in, inner_wires
from intaglio.cad.measures import area, bounds, centroid
from intaglio.cad.normals import face_normal, surface_of
from intaglio.cad.part import Part
from intaglio.cad.topology import edge_samples, explore

Kind = Literal["hole", "boss", "mark", "fillet"]
_ROUND = (GeomAbs_SurfaceType.GeomAbs_Cylinder, GeomAbs_SurfaceType.GeomAbs_Torus)


@dataclass(frozen=True)
class Feature:
    """kind; faces by number; size: diameter of a hole or boss, radius of a fillet, largest extent
    of a mark; centre (3,)."""

    kind: Kind
    faces: tuple[int, ...]
    size: float
    centre: tuple[float, float, float]


def find_features(part: Part) -> list[Feature]:
    """Features of a part, holes first, each kind by size."""
    found = _loop_features(part)
    taken = {f for feature in found for f in feature.faces}
    found += [f for f in _fillets(part) if not taken & set(f.faces)]
    order = {"hole": 0, "boss": 1, "mark": 2, "fillet": 3}
    return sorted(found, key=lambda f: (order[f.kind], f.size, f.faces))


def _loop_features(part: Part) -> list[Feature]:
    at_edges = faces_at_edges(part)
    loops: list[tuple[int, list[int]]] = []
    for number, face in enumerate(part.faces):
        for wire in inner_wires(face):
            edges = edges_of(part, wire)
            if edges:
                loops.append((number, edges))
    cut = {e for _, edges in loops for e in edges}
    parent = list(range(len(part.faces)))

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    for e, faces in at_edges.items():
        if e not in cut:
            for f in faces[1:]:
                parent[root(f)] = root(faces[0])
    members: dict[int, list[int]] = {}
    for f in range(len(part.faces)):
        members.setdefault(root(f), []).append(f)
    rims: dict[int, list[tuple[int, list[int]]]] = {}
    for host, edges in loops:
        beyond = {root(f) for e in edges for f in at_edges[e] if f != host}
        for piece in beyond:
            rims.setdefault(piece, []).append((host, edges))
    size = {piece: sum(area(part.faces[f]) for f in own) for piece, own in members.items()}
    out = []
    for piece, own in members.items():
        rim = rims.get(piece, [])
        hosts = {root(h) for h, _ in rim} - {piece}
        # the main surface of a body hosts the rest; a piece without a rim is a body or a cavity
        if not rim or not hosts or size[piece] >= max(size[h] for h in hosts):
            continue
        if any(h in own for h, _ in rim):
            continue
        out.append(_classified(part, own, rim, at_edges))
    return out


def _classified(
    part: Part,
    own: list[int],
    rim: list[tuple[int, list[int]]],
    at_edges: dict[int, list[int]],
) -> Feature:
    host, edges = rim[0]
    points = np.concatenate([edge_samples(part.edges[e], 17) for e in edges])
    extent = np.ptp(points, axis=0)
    low = np.min([bounds(part.faces[f])[0] for f in own], axis=0)
    high = np.max([bounds(part.faces[f])[1] for f in own], axis=0)
    kinds = [surface_of(part.faces[f]).GetType() for f in own]
    radii = [
        surface_of(part.faces[f]).Cylinder().Radius()
        for f, k in zip(own, kinds, strict=True)
        if k == GeomAbs_SurfaceType.GeomAbs_Cylinder
    ]
    inward = goes_in(part, edges, at_edges, host)
    turned = bool(radii) and all(
        k
        in (
            GeomAbs_SurfaceType.GeomAbs_Cylinder,
            GeomAbs_SurfaceType.GeomAbs_Plane,
            GeomAbs_SurfaceType.GeomAbs_Cone,
        )
        for k in kinds
    )
    round_hole = turned and sum(k == GeomAbs_SurfaceType.GeomAbs_Plane for k in kinds) <= 2
    across = float(np.sort(extent)[-1])
    kind: Kind
    if inward and round_hole:
        kind, measure = "hole", 2 * max(radii)
    elif inward:
        kind, measure = ("hole", across) if len(rim) > 1 else ("mark", across)
    else:
        kind, measure = "boss", 2 * max(radii) if round_hole else across
    middle = 0.5 * (low + high)
    return Feature(kind, tuple(own), float(measure), tuple(float(x) for x in middle))  # type: ignore[arg-type]


def edge_turn(part: Part, edge: int, a: int, b: int) -> float:
    """Degrees between the normals of two faces in the middle of their edge."""
    middle = edge_samples(part.edges[edge], 3)[1]
    one, other = face_normal(part.faces[a], middle), face_normal(part.faces[b], middle)
    return float(np.degrees(np.arctan2(np.linalg.norm(np.cross(one, other)), one @ other)))


def _fillets(part: Part) -> list[Feature]:
    """Strips of a cylinder or torus under half a turn around, tangent to both sides."""
    at_edges = faces_at_edges(part)
    out = []
    for f, face in enumerate(part.faces):
        surface = surface_of(face)
        if surface.GetType() not in _ROUND:
            continue
        u0, u1, v0, v1 = BRepTools.UVBounds_s(face)
        if surface.GetType() == GeomAbs_SurfaceType.GeomAbs_Cylinder:
            radius, turn = surface.Cylinder().Radius(), u1 - u0
        else:
            radius, turn = surface.Torus().MinorRadius(), v1 - v0
        if turn > 0.95 * np.pi:
            continue
        tangent = 0
        for shape in explore(face, TopAbs_ShapeEnum.TopAbs_EDGE):
            e = part.edge_map.FindIndex(shape) - 1
            others = [g for g in at_edges.get(e, []) if g != f]
            if len(others) == 1 and edge_turn(part, e, f, others[0]) < 2.0:
                tangent += 1
        if tangent >= 2:
            c = centroid(face)
            out.append(Feature("fillet", (f,), float(radius), tuple(float(x) for x in c)))  # type: ignore[arg-type]
    return out
