"""Regions and feature curves of facets, by the angle between neighbouring triangles."""

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from intaglio.facets.part import FacetPart, Floats, Ints, free_name
from intaglio.triangles.closure import triangles_on
from intaglio.triangles.edges import EdgeTable, chains, edge_table, pieces
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import triangle_areas, triangle_normals

# regions below this share of the area join the neighbour that they touch most
_SMALL = 2e-5
# a curve that turns by more than this at a node has a corner there
_CORNER = 40.0


def edge_angles(points: Floats, triangles: Ints, table: EdgeTable) -> Floats:
    """Degrees (e,) between the normals on both sides of each edge; 180 where other than two meet or
    the normals disagree."""
    normal = triangle_normals(points, triangles)
    out = np.full(len(table.uses), 180.0)
    two = np.flatnonzero(table.uses == 2)
    one, other = table.half[table.start[two]], table.half[table.start[two] + 1]
    agree = table.forward[one] != table.forward[other]
    a, b = normal[one // 3], normal[other // 3]
    cross = np.linalg.norm(np.cross(a, b), axis=1)
    turn = np.degrees(np.arctan2(cross, np.einsum("ij,ij->i", a, b)))
    out[two] = np.where(agree, turn, 180.0)
    return out


def split_by_angle(part: FacetPart, angle: float) -> FacetPart:
    """Regions cut apart along edges sharper than `angle` (degrees) and where regions met before.

    A region that stays whole keeps its name; the pieces of another are numbered, largest first.
    """
    table = edge_table(part.triangles)
    smooth = edge_angles(part.points, part.triangles, table) < angle
    edge = np.repeat(np.arange(len(table.uses)), table.uses)
    own = part.region[table.half // 3]
    first = part.region[table.half[table.start[edge]] // 3]
    same = np.ones(len(table.uses), bool)
    np.logical_and.at(same, edge, own == first)
    piece = pieces(table, len(part.triangles), smooth & same)
    area = triangle_areas(part.points, part.triangles)
    piece = _absorbed(piece, area, table, part.region)
    return _named(part, piece, area)


def _absorbed(piece: Ints, area: Floats, table: EdgeTable, region: Ints) -> Ints:
    """Small pieces given to the neighbour of the same region that they touch most, if any."""
    two = np.flatnonzero(table.uses == 2)
    one, other = table.half[table.start[two]] // 3, table.half[table.start[two] + 1] // 3
    for _ in range(8):
        total = np.bincount(piece, area)
        small = total < _SMALL * area.sum()
        a, b = piece[one], piece[other]
        touch = (a != b) & (region[one] == region[other])
        pairs = np.concatenate([np.stack([a, b], 1)[touch], np.stack([b, a], 1)[touch]])
        pairs = pairs[small[pairs[:, 0]] & (total[pairs[:, 0]] <= total[pairs[:, 1]])]
        if not len(pairs):
            break
        code, count = np.unique(
            pairs[:, 0].astype(np.int64) * len(total) + pairs[:, 1], return_counts=True
        )
        source, target = code // len(total), code % len(total)
        order = np.argsort(count, kind="stable")
        into = np.arange(len(total))
        into[source[order]] = target[order]
        # no rings: only into pieces that stay
        into = np.where(into[into] == into, into, np.arange(len(total)))
        if (into == np.arange(len(total))).all():
            break
        piece = into[piece].astype(np.int32)
    return np.unique(piece, return_inverse=True)[1].astype(np.int32)


def _named(part: FacetPart, piece: Ints, area: Floats) -> FacetPart:
    count = int(piece.max()) + 1
    total = np.bincount(piece, area, count)
    parent = np.zeros(count, np.int64)
    parent[piece] = part.region
    names: list[str] = [""] * count
    taken: list[str] = []
    for region in range(len(part.region_names)):
        own = np.flatnonzero(parent == region)
        for k, p in enumerate(own[np.argsort(-total[own], kind="stable")]):
            stem = part.region_names[region]
            names[p] = free_name(stem if k == 0 else f"{stem}_{k + 1}", taken)
            taken.append(names[p])
    return FacetPart(
        part.points,
        part.triangles,
        piece,
        part.body,
        tuple(names),
        part.body_names,
        part.unit,
    )


def node_curvature(points: Floats, triangles: Ints, region: Ints) -> Floats:
    """Largest normal curvature (n,) in 1/unit, estimated along edges within a region.

    Along an edge the surface turns by the change of its normals over its length; normals are
    averaged within a region, so that a feature edge does not count as a curve.
    """
    normal = np.cross(
        points[triangles[:, 1]] - points[triangles[:, 0]],
        points[triangles[:, 2]] - points[triangles[:, 0]],
    )
    n = len(points)
    key = (region.astype(np.int64) * n)[:, None] + triangles
    used, local = np.unique(key.ravel(), return_inverse=True)
    total: Floats = np.stack(
        [np.bincount(local, np.repeat(normal[:, i], 3), len(used)) for i in range(3)], axis=1
    ).astype(np.float64)
    total /= np.maximum(np.linalg.norm(total, axis=1), 1e-300)[:, None]
    corner = local.reshape(-1, 3)
    out = np.zeros(n)
    for i in range(3):
        j = (i + 1) % 3
        a, b = triangles[:, i], triangles[:, j]
        line = points[b] - points[a]
        square = np.maximum(np.einsum("ij,ij->i", line, line), 1e-300)
        turn = total[corner[:, j]] - total[corner[:, i]]
        bend = np.abs(np.einsum("ij,ij->i", turn, line)) / square
        np.maximum.at(out, a, bend)
        np.maximum.at(out, b, bend)
    nodes, across = _bend_across(points, triangles, region)
    for i in range(2):
        np.maximum.at(out, nodes[:, i], across)
    return out


def _bend_across(points: Floats, triangles: Ints, region: Ints) -> tuple[Ints, Floats]:
    """Edges (e, 2) within a region and the curvature (e,) across each, in 1/unit: the turn between
    its two triangles over the mean of their heights on it. It tells of roundings of a few strips,
    whose averaged normals turn too little."""
    table = edge_table(triangles)
    two = np.flatnonzero(table.uses == 2)
    one, other = (table.half[table.start[:-1][two] + k] // 3 for k in (0, 1))
    same = region[one] == region[other]
    two, one, other = two[same], one[same], other[same]
    nodes = table.nodes[two]
    normal = triangle_normals(points, triangles)
    cross = np.linalg.norm(np.cross(normal[one], normal[other]), axis=1)
    turn = np.arctan2(cross, np.einsum("ij,ij->i", normal[one], normal[other]))
    length = np.linalg.norm(points[nodes[:, 0]] - points[nodes[:, 1]], axis=1)
    area = triangle_areas(points, triangles)
    # half the sum of the two heights, each twice an area over the edge
    height = (area[one] + area[other]) / np.maximum(length, 1e-300)
    return nodes, turn / np.maximum(height, 1e-300)


def feature_curves(points: Floats, triangles: Ints, region: Ints) -> Curves:
    """Curves where regions meet, cut at corners and where other than two curves meet."""
    table = edge_table(triangles)
    edge = np.repeat(np.arange(len(table.uses)), table.uses)
    own = region[table.half // 3]
    border = np.zeros(len(table.uses), bool)
    np.logical_or.at(border, edge, own != own[table.start[edge]])
    lines: list[NDArray[np.int64]] = []
    for line in chains(table.nodes[border | (table.uses != 2)]):
        lines += _cut_at_corners(points, line)
    start, arcs, ends, spots = [0], [], [], []
    nodes, curve, arc_pairs = [], [], []
    for c, line in enumerate(lines):
        p = points[line]
        arc = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))])
        start.append(start[-1] + len(line))
        spots.append(p)
        arcs.append(arc)
        ends.append((line[0], line[-1]))
        nodes.append(np.stack([line[:-1], line[1:]], axis=1))
        curve.append(np.full(len(line) - 1, c))
        arc_pairs.append(np.stack([arc[:-1], arc[1:]], axis=1))
    if not lines:
        none = np.zeros(0)
        return Curves(
            np.zeros(1, np.int32),
            np.zeros((0, 3)),
            none,
            none,
            np.zeros((0, 2), np.int32),
            np.zeros((0, 2), np.int32),
            np.zeros(0, np.int32),
            np.zeros((0, 2)),
        )
    along = np.concatenate(arcs)
    return Curves(
        np.array(start, np.int32),
        np.concatenate(spots),
        along,
        along.copy(),
        np.array(ends, np.int32),
        np.concatenate(nodes).astype(np.int32),
        np.concatenate(curve).astype(np.int32),
        np.concatenate(arc_pairs),
    )


def _cut_at_corners(points: Floats, line: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    step = np.diff(points[line], axis=0)
    step /= np.maximum(np.linalg.norm(step, axis=1), 1e-300)[:, None]
    limit = np.cos(np.radians(_CORNER))
    cut = np.flatnonzero(np.einsum("ij,ij->i", step[:-1], step[1:]) < limit) + 1
    if line[0] == line[-1] and len(cut) and step[0] @ step[-1] >= limit:
        # begin at a corner, so that the chain's own first node makes none
        line = np.concatenate([line[cut[0] :], line[1 : cut[0] + 1]])
        cut = cut[1:] - cut[0]
    pieces_ = np.split(line, cut) if len(cut) else [line]
    out = []
    for k, piece in enumerate(pieces_):
        if k + 1 < len(pieces_):
            piece = np.append(piece, pieces_[k + 1][0])
        if len(piece) > 1:
            out.append(piece)
    return out


# where sheets touch in a node each is drawn back by this share of the way to its fan's middle
_APART = 0.2


def fans(triangles: Ints) -> Ints:
    """Number (m, 3) of the fan that each corner belongs to: triangles around a node that hang
    together across edges. Where a surface touches itself in a node, that node has several."""
    table = edge_table(triangles)
    edge = np.repeat(np.arange(len(table.uses)), table.uses)
    first = table.half[table.start[edge]]
    # an edge runs from its corner to the next one of its triangle
    start, lead = table.half, first
    end, lead_end = (3 * (h // 3) + (h % 3 + 1) % 3 for h in (start, lead))
    flat = triangles.ravel()
    alike = flat[start] == flat[lead]
    one = np.concatenate([start, end])
    other = np.concatenate([np.where(alike, lead, lead_end), np.where(alike, lead_end, lead)])
    size = 3 * len(triangles)
    graph = coo_array((np.ones(len(one), np.int8), (one, other)), shape=(size, size))
    return connected_components(graph, directed=False)[1].astype(np.int32).reshape(-1, 3)


def parted_sheets(points: Floats, triangles: Ints) -> tuple[Floats, Ints]:
    """The surface with a node of its own for each fan where it touches itself in a node; there each
    goes a little of the way to the middle of its fan, so that the sheets come apart."""
    fan = fans(triangles).ravel()
    node = np.zeros(int(fan.max()) + 1 if len(fan) else 0, np.int64)
    node[fan] = triangles.ravel()
    # the first fan of a node keeps it; places may be shared by nodes as well
    _, group, count = np.unique(points[node], axis=0, return_inverse=True, return_counts=True)
    if len(count) == len(node):
        return points, triangles
    lead = np.unique(node, return_index=True)[1]
    extra = np.setdiff1d(np.arange(len(node)), lead)
    number = node.copy()
    number[extra] = len(points) + np.arange(len(extra))
    out = np.concatenate([points, points[node[extra]]])
    rows = number[fan].reshape(-1, 3).astype(np.int32)
    moved = number[count[group.ravel()] > 1]
    at = np.flatnonzero(np.isin(rows, moved))
    middle = out[rows[at // 3]].mean(axis=1)
    uses = np.bincount(rows.ravel()[at], minlength=len(out))[moved]
    for i in range(3):
        mean = np.bincount(rows.ravel()[at], middle[:, i], len(out))[moved] / uses
        out[moved, i] += _APART * (mean - out[moved, i])
    return out, rows


def meshing_input(part: FacetPart) -> tuple[Facets, Curves]:
    """Facets with curvature, and feature curves, as the surface mesher takes them."""
    points, triangles = parted_sheets(part.points, part.triangles)
    facets = Facets(
        np.ascontiguousarray(points),
        np.ascontiguousarray(triangles),
        np.ascontiguousarray(part.region),
        node_curvature(points, triangles, part.region),
    )
    return facets, feature_curves(points, triangles, part.region)


def facet_turns(facets: Facets, curves: Curves) -> Floats:
    """Largest angle (curves,) in rad between the two triangles along each curve; π where other
    than two meet."""
    own, first, count = triangles_on(facets.triangles, curves.edge_nodes)
    two = count == 2
    normal = triangle_normals(facets.points, facets.triangles)
    turn = np.full(len(two), np.pi)
    one, other = (normal[own[first[two] + k]] for k in (0, 1))
    cross = np.linalg.norm(np.cross(one, other), axis=1)
    turn[two] = np.arctan2(cross, np.einsum("ij,ij->i", one, other))
    out = np.zeros(len(curves.ends))
    np.maximum.at(out, curves.edge_curve, turn)
    return out
