"""How a part hangs together: which faces use which edges, per body, and free edges told apart."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Shape
from scipy.spatial import cKDTree

from intaglio.cad.measures import once
from intaglio.cad.part import Part
from intaglio.facets.openings import rim_centre, vector_area
from intaglio.triangles.edges import chains

Floats = NDArray[np.float64]
SAMPLES = 33


@dataclass(frozen=True)
class Use:
    """A face's use of an edge: body, face and edge numbers, and whether along the edge."""

    body: int
    face: int
    edge: int
    forward: bool


@dataclass(frozen=True)
class FreeLoop:
    """A closed chain of free edges that no gap explains: a hole to cap."""

    edges: tuple[int, ...]
    centre: Floats
    diameter: float
    flatness: float  # largest distance from its plane
    faces: tuple[int, ...]


@dataclass(frozen=True)
class Gap:
    """Free edges that nearly meet: edges, the width at each, and a place."""

    edges: tuple[int, ...]
    widths: tuple[float, ...]
    at: Floats
    faces: tuple[int, ...]


def explore(shape: TopoDS_Shape, kind: TopAbs_ShapeEnum) -> list[TopoDS_Shape]:
    """Shapes of a kind within a shape, each with its orientation there."""
    walk = TopExp_Explorer(shape, kind)
    out = []
    while walk.More():
        out.append(walk.Current())
        walk.Next()
    return out


def edge_uses(part: Part) -> list[Use]:
    """Every use of an edge by a face of a body; degenerate edges (poles) are left out."""
    out = []
    for b, body in enumerate(part.bodies):
        for face in explore(body, TopAbs_ShapeEnum.TopAbs_FACE):
            f = part.face_map.FindIndex(face) - 1
            for shape in explore(face, TopAbs_ShapeEnum.TopAbs_EDGE):
                edge = TopoDS.Edge_s(shape)
                if BRep_Tool.Degenerated_s(edge):
                    continue
                forward = edge.Orientation() == TopAbs_Orientation.TopAbs_FORWARD
                out.append(Use(b, f, part.edge_map.FindIndex(edge) - 1, forward))
    return out


def uses_by_edge(uses: list[Use]) -> dict[int, list[Use]]:
    """Uses by edge number; sheets that share an edge count together, solids each for itself."""
    out: dict[int, list[Use]] = {}
    for use in uses:
        out.setdefault(use.edge, []).append(use)
    return out


def edge_length(edge: TopoDS_Edge) -> float:
    """Arc length, in the part's unit."""
    return once(
        "length", edge, lambda: float(GCPnts_AbscissaPoint.Length_s(BRepAdaptor_Curve(edge)))
    )


def edge_samples(edge: TopoDS_Edge, count: int = SAMPLES) -> Floats:
    """Points (count, 3) along an edge, both ends included."""
    curve = BRepAdaptor_Curve(edge)
    at = np.linspace(curve.FirstParameter(), curve.LastParameter(), count)
    return np.array([[p.X(), p.Y(), p.Z()] for p in (curve.Value(float(t)) for t in at)])


def free_uses(uses: list[Use]) -> list[Use]:
    """Uses of edges that no other use meets."""
    by_edge = uses_by_edge(uses)
    return [own[0] for own in by_edge.values() if len(own) == 1]


def gaps_and_holes(part: Part, free: list[Use], scale: float) -> tuple[list[Gap], list[FreeLoop]]:
    """Free edges told apart: gaps between edges that nearly meet, and closed loops."""
    if not free:
        return [], []
    line = [edge_samples(part.edges[u.edge]) for u in free]
    length = np.array([edge_length(part.edges[u.edge]) for u in free])
    owner = np.repeat(np.arange(len(free)), SAMPLES)
    points = np.concatenate(line)
    tree = cKDTree(points)
    width = np.full(len(free), np.inf)
    partners: list[set[int]] = [set() for _ in free]
    for k in range(len(free)):
        limit = min(0.03 * scale, 0.2 * length[k])
        inner = line[k][2:-2]
        nearest = np.full(len(inner), np.inf)
        facing = np.full(len(inner), -1)
        for row, hits in enumerate(tree.query_ball_point(inner, limit + length.max() / SAMPLES)):
            others = np.unique(owner[hits])
            for o in others[others != k]:
                d = _to_polyline(inner[row], line[o])
                if d < min(nearest[row], limit):
                    nearest[row], facing[row] = d, o
        if np.isfinite(nearest).mean() > 0.8:
            width[k] = nearest[np.isfinite(nearest)].max()
            # not an edge round the corner that a few samples come near
            times = np.bincount(facing[facing >= 0], minlength=len(free))
            partners[k] = set(np.flatnonzero(times > 0.2 * len(inner)).tolist())
    gaps = []
    for group in _groups(len(free), partners, np.isfinite(width)):
        spot = line[group[0]][SAMPLES // 2]
        gaps.append(
            Gap(
                tuple(free[k].edge for k in group),
                tuple(float(width[k]) for k in group),
                spot,
                tuple(sorted({free[k].face for k in group})),
            )
        )
    rest = [k for k in range(len(free)) if not np.isfinite(width[k])]
    return gaps, _loops(part, [free[k] for k in rest], [line[k] for k in rest], scale)


def _to_polyline(p: Floats, line: Floats) -> float:
    a, d = line[:-1], np.diff(line, axis=0)
    square = np.maximum(np.einsum("ij,ij->i", d, d), 1e-300)
    t = np.clip(np.einsum("ij,ij->i", p - a, d) / square, 0, 1)
    return float(np.linalg.norm(a + t[:, None] * d - p, axis=1).min())


def _groups(count: int, partners: list[set[int]], on: NDArray[np.bool_]) -> list[list[int]]:
    """Edges that face each other, one list per gap: two sides, either of one edge or of more."""
    parent = list(range(count))

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    for k in range(count):
        if on[k]:
            for o in partners[k]:
                if on[o]:
                    parent[root(o)] = root(k)
    out: dict[int, list[int]] = {}
    for k in range(count):
        if on[k]:
            out.setdefault(root(k), []).append(k)
    return list(out.values())


def _loops(part: Part, free: list[Use], line: list[Floats], scale: float) -> list[FreeLoop]:
    """Closed chains of free edges, largest first."""
    if not free:
        return []
    ends = np.concatenate([[p[0], p[-1]] for p in line])
    node = np.arange(len(ends))
    # a vertex may hold ends that are apart by its tolerance; others meet by place
    first: dict[int, int] = {}
    for k, use in enumerate(free):
        for side, vertex in enumerate(_ends(part, use.edge)):
            other = first.setdefault(vertex, 2 * k + side)
            node[node == node[2 * k + side]] = node[other]
    for a, b in sorted(cKDTree(ends).query_pairs(1e-5 * scale)):
        node[node == node[b]] = node[a]
    pairs = node.reshape(-1, 2)
    found = []
    for chain in chains(pairs.astype(np.int32)):
        if chain[0] != chain[-1]:
            continue
        own, polygon = _chain_edges(chain, pairs, line)
        area = float(np.linalg.norm(vector_area(polygon)))
        centre = rim_centre(polygon)
        _, _, axes = np.linalg.svd(polygon - centre, full_matrices=False)
        found.append(
            FreeLoop(
                tuple(free[k].edge for k in own),
                centre,
                2 * float(np.sqrt(area / np.pi)),
                float(np.abs((polygon - centre) @ axes[2]).max()),
                tuple(sorted({free[k].face for k in own})),
            )
        )
    return sorted(found, key=lambda h: -h.diameter)


def _ends(part: Part, edge: int) -> tuple[int, int]:
    """Vertex numbers at the start and end of an edge's curve."""
    forward = TopoDS.Edge_s(part.edges[edge].Oriented(TopAbs_Orientation.TopAbs_FORWARD))
    return (
        part.vertex_map.FindIndex(TopExp.FirstVertex_s(forward)),
        part.vertex_map.FindIndex(TopExp.LastVertex_s(forward)),
    )


def _chain_edges(
    chain: NDArray[np.int64], pairs: NDArray[np.int64], line: list[Floats]
) -> tuple[list[int], Floats]:
    """Edges along a chain of nodes, and its polygon."""
    own: list[int] = []
    polygon = []
    for a, b in pairwise(chain.tolist()):
        k = next(i for i, (p, q) in enumerate(pairs) if i not in own and {int(p), int(q)} == {a, b})
        own.append(k)
        points = line[k] if pairs[k, 0] == a else line[k][::-1]
        polygon.append(points[:-1])
    return own, np.concatenate(polygon)


def neighbours(uses: list[Use]) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Pairs of faces (k, 2) across edges used twice, and whether both run along it the same way."""
    pairs, same = [], []
    for own in uses_by_edge(uses).values():
        if len(own) == 2 and own[0].face != own[1].face:
            pairs.append((own[0].face, own[1].face))
            same.append(own[0].forward == own[1].forward)
    return np.array(pairs, np.int64).reshape(-1, 2), np.array(same, bool)


def point_distance(p: Floats, shape: TopoDS_Shape) -> float:
    """Distance of a point (3,) from a shape."""
    vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*(float(x) for x in p))).Vertex()
    return float(BRepExtrema_DistShapeShape(vertex, shape).Value())


def explore_face(part: Part, number: int) -> list[TopoDS_Shape]:
    """The face as it is turned in its body."""
    for face in explore(part.shape, TopAbs_ShapeEnum.TopAbs_FACE):
        if part.face_map.FindIndex(face) - 1 == number:
            return [face]
    return []
