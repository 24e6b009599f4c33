"""Edges without meaning: what they part is meshed as one, and told apart again afterwards.

A seam is an edge between two faces that meet smoothly where the edges of the mesh resolve the
curvature, or one beside a face much narrower than those edges. The ends of other edges that nothing
but a seam made are no corners any more, where those edges run on.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from intaglio.triangles.closure import triangles_on
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.measures import triangle_areas, triangle_normals

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Flags = NDArray[np.bool_]

# edges of the mesh that turn by more than this (rad) do not resolve a curve: its borders are kept
_RESOLVED = 0.6
# ... along more than this share of a seam
_MOSTLY = 0.7
# a face is a sliver where it is narrower than this share of the edges there
_NARROW = 0.25
# what is absorbed takes the mesh off the surface by less than this share of the edges there
_OFF = 0.05


def faces_beside(facets: Facets, curves: Curves) -> NDArray[np.int64]:
    """The two regions (curves, 2), lower number first, that meet all along each curve; -1 where
    not exactly two triangles of the same two regions meet."""
    own, first, count = triangles_on(facets.triangles, curves.edge_nodes)
    region = facets.region[own]
    out = np.full((len(curves.ends), 2), -1, np.int64)
    two = count == 2
    pair = np.full((len(two), 2), -1, np.int64)
    pair[two] = np.sort(np.stack([region[first[two]], region[first[two] + 1]], axis=1), axis=1)
    low = np.full(len(curves.ends), np.iinfo(np.int64).max)
    pair_key = np.where(two, (pair[:, 0] << 32) | pair[:, 1], -1)
    high = np.full(len(curves.ends), -1, np.int64)
    np.minimum.at(low, curves.edge_curve, pair_key)
    np.maximum.at(high, curves.edge_curve, pair_key)
    same = (low == high) & (low >= 0)
    out[same, 0], out[same, 1] = low[same] >> 32, low[same] & 0xFFFFFFFF
    return out


def seams(
    facets: Facets,
    curves: Curves,
    turn: Floats,
    label: Ints,
    angle: float,
    size: Floats,
    kept: Flags,
) -> Flags:
    """Which curves (curves,) have no meaning for the mesh.

    turn (curves,): largest angle (rad) between the faces along each; label (regions,): only regions
    of one label are joined; angle (rad): faces that turn by less meet smoothly; size (n,): edge
    length wanted at each node; kept (curves,): those that stay, whatever they are.
    """
    beside = faces_beside(facets, curves)
    free = (beside[:, 0] >= 0) & ~kept & (angle > 0)
    free[free] = label[beside[free, 0]] == label[beside[free, 1]]
    smooth = free & (turn < angle)
    out = smooth & _resolved(facets, curves, size)
    out |= _running_out(facets, curves, size, beside, smooth, out)
    return out | _beside_slivers(facets, curves, turn, size, beside, free)


def _resolved(facets: Facets, curves: Curves, size: Floats) -> Flags:
    """Curves along most of which the edges wanted are short enough for the curvature."""
    bend = (facets.curvature * size)[curves.edge_nodes].max(axis=1)
    length = curves.edge_arc[:, 1] - curves.edge_arc[:, 0]
    n = len(curves.ends)
    good = np.bincount(curves.edge_curve, length * (bend < _RESOLVED), n)
    return np.asarray(good >= _MOSTLY * np.bincount(curves.edge_curve, length, n))


def _running_out(
    facets: Facets,
    curves: Curves,
    size: Floats,
    beside: NDArray[np.int64],
    smooth: Flags,
    seam: Flags,
) -> Flags:
    """One border of each rounding that runs out to nothing: the other one leads the mesh along it.

    A rounding of a right angle is π/2 of its radius wide.
    """
    regions = int(facets.region.max()) + 1
    bend = facets.curvature * size
    most = np.zeros(len(curves.ends))
    np.maximum.at(most, curves.edge_curve, bend[curves.edge_nodes].max(axis=1))
    area = triangle_areas(facets.points, facets.triangles)
    normal = area[:, None] * triangle_normals(facets.points, facets.triangles)
    whole = [np.bincount(facets.region, normal[:, i], regions) for i in range(3)]
    # of two faces beside an edge the rounding is the one whose normals agree least
    agree = np.linalg.norm(whole, axis=0) / np.bincount(facets.region, area, regions).clip(1e-300)
    out = np.zeros(len(curves.ends), bool)
    done = set(beside[seam].ravel().tolist())
    for c in np.flatnonzero(smooth & ~seam & (most > 0.5 * np.pi / _NARROW)).tolist():
        one, other = beside[c].tolist()
        face = one if agree[one] < agree[other] else other
        if face not in done:
            done.add(face)
            out[c] = True
    return out


def _beside_slivers(
    facets: Facets,
    curves: Curves,
    turn: Floats,
    size: Floats,
    beside: NDArray[np.int64],
    free: Flags,
) -> Flags:
    """Of each narrow face the free curve at which it turns least into its neighbour."""
    regions = int(facets.region.max()) + 1
    area = np.bincount(facets.region, triangle_areas(facets.points, facets.triangles), regions)
    length = curves.arc[curves.start[1:] - 1]
    rim = np.zeros(regions)
    for i in range(2):
        known = beside[:, i] >= 0
        rim += np.bincount(beside[known, i], length[known], regions)
    width = 2.0 * area / np.maximum(rim, 1e-300)
    own = np.full(len(curves.ends), np.inf)
    np.minimum.at(own, curves.edge_curve, size[curves.edge_nodes].min(axis=1))
    out = np.zeros(len(curves.ends), bool)
    best = np.full(regions, -1)
    for c in np.flatnonzero(free).tolist():
        for face in beside[c].tolist():
            if rim[face] == 0 or width[face] >= _NARROW * own[c] or length[c] < 2 * width[face]:
                continue
            # a flat strip folded up at this turn, or a rounding: what is left out is at most this
            if width[face] * np.sin(min(turn[c], np.pi / 2)) >= _OFF * own[c] and turn[c] > 0.2:
                continue
            if best[face] < 0 or turn[c] < turn[best[face]] - 1e-9:
                best[face] = c
    out[best[best >= 0]] = True
    return out


@dataclass(frozen=True)
class Walked:
    """What meshing works on where seams are walked over.

    facets: by group; group (regions,); curves: those left, joined where they run on; start (k + 1,)
    offsets into piece (n,) number of a former curve, begin (n,) arc length on the joined curve at
    which it begins, turned (n,) whether it runs backwards there; length (curves,) of the former.
    """

    facets: Facets
    group: Ints
    curves: Curves
    start: Ints
    piece: Ints
    begin: Floats
    turned: Flags
    length: Floats

    def former(self, curve: Ints, arc: Floats) -> tuple[Ints, Floats]:
        """The former curve (n,) and the arc length on it, of arc lengths (n,) on curves (n,)."""
        at = self.start[curve].astype(np.int64)
        last = self.start[curve + 1] - 1
        while True:
            further = (at < last) & (arc >= self.begin[np.minimum(at + 1, len(self.begin) - 1)])
            if not further.any():
                break
            at[further] += 1
        along = np.clip(arc - self.begin[at], 0.0, self.length[self.piece[at]])
        back = self.turned[at]
        return self.piece[at], np.where(back, self.length[self.piece[at]] - along, along)

    def place(self) -> dict[int, int]:
        """The new number of each former curve that stands alone."""
        alone = np.flatnonzero(np.diff(self.start) == 1)
        return {int(self.piece[self.start[k]]): int(k) for k in alone}


def walked(
    facets: Facets, curves: Curves, seam: Flags, kept: Flags, angle: float, size: Floats
) -> Walked:
    """Facets and curves without the seams (curves,).

    Curves of which nothing else ends where they meet are joined if they turn by less than angle
    (rad) there, or if one of them is far shorter than the edges wanted (n,); kept ones never are.
    """
    beside = faces_beside(facets, curves)
    regions = int(facets.region.max()) + 1
    joins = beside[seam]
    graph = coo_matrix((np.ones(len(joins)), (joins[:, 0], joins[:, 1])), shape=(regions, regions))
    group = connected_components(graph, directed=False)[1].astype(np.int32)
    left = np.flatnonzero(~seam)
    chains = _chains(curves, left, kept, angle, size)
    return _rebuilt(replace(facets, region=group[facets.region]), group, curves, chains)


# a chain of curves: number and whether it runs backwards
Chain = list[tuple[int, bool]]


def _chains(
    curves: Curves, left: NDArray[np.int64], kept: Flags, angle: float, size: Floats
) -> list[Chain]:
    """The curves that are left, joined to chains where they run on."""
    length = curves.arc[curves.start[1:] - 1]
    at: dict[int, list[tuple[int, int]]] = {}
    for c in left.tolist():
        for i in range(2):
            at.setdefault(int(curves.ends[c, i]), []).append((c, i))
    link: dict[tuple[int, int], tuple[int, int]] = {}
    for node, ends in at.items():
        if len(ends) != 2 or angle <= 0:
            continue
        (a, i), (b, j) = ends
        if a == b or kept[a] or kept[b]:
            continue
        turn = _turn_between(curves, a, i, b, j)
        short = min(length[a], length[b]) * np.sin(min(turn, np.pi / 2)) < _OFF * size[node]
        if turn < angle or (short and turn < 0.75 * np.pi):
            link[a, i], link[b, j] = (b, j), (a, i)
    out: list[Chain] = []
    done: set[int] = set()
    # chains from their open ends first; what is left then are rings
    starts = [(c, i) for c in left.tolist() for i in (0, 1) if (c, i) not in link]
    for c, i in [*starts, *((c, 0) for c in left.tolist())]:
        if c in done:
            continue
        chain: Chain = []
        while c not in done:
            done.add(c)
            chain.append((c, i == 1))
            after = link.get((c, 1 - i))
            if after is None:
                break
            c, i = after
        out.append(chain)
    return out


def _turn_between(curves: Curves, a: int, i: int, b: int, j: int) -> float:
    """Angle (rad) by which the line turns from curve a through its end i into b from its end j."""
    one, other = -_direction(curves, a, i), _direction(curves, b, j)
    return float(np.arctan2(np.linalg.norm(np.cross(one, other)), one @ other))


def _direction(curves: Curves, c: int, i: int) -> Floats:
    """Unit direction into curve c from its end i."""
    p = curves.points[curves.start[c] : curves.start[c + 1]]
    p = p if i == 0 else p[::-1]
    step = p[1:] - p[0]
    distance = np.linalg.norm(step, axis=1)
    away = np.flatnonzero(distance > 0)
    return step[away[0]] / distance[away[0]] if len(away) else np.zeros(3)


def _rebuilt(facets: Facets, group: Ints, curves: Curves, chains: list[Chain]) -> Walked:
    length = curves.arc[curves.start[1:] - 1]
    new = np.full(len(curves.ends), -1, np.int32)
    begins = np.zeros(len(curves.ends))
    backwards = np.zeros(len(curves.ends), bool)
    start, offsets = [0], [0]
    points, arcs, parameters, ends = [], [], [], []
    piece, begin, turned = [], [], []
    for k, chain in enumerate(chains):
        along = 0.0
        for n, (c, back) in enumerate(chain):
            rows = slice(curves.start[c], curves.start[c + 1])
            p, s, u = curves.points[rows], curves.arc[rows], curves.parameter[rows]
            if back:
                p, s, u = p[::-1], length[c] - s[::-1], u[::-1]
            # a joint is one point, not two
            skip = 1 if n else 0
            points.append(p[skip:])
            arcs.append(along + s[skip:])
            parameters.append(u[skip:])
            new[c], begins[c], backwards[c] = k, along, back
            piece.append(c)
            begin.append(along)
            turned.append(back)
            along += length[c]
        first, last = chain[0], chain[-1]
        ends.append((curves.ends[first[0], int(first[1])], curves.ends[last[0], int(not last[1])]))
        start.append(sum(len(p) for p in points[-len(chain) :]) + start[-1])
        offsets.append(len(piece))
    own = new[curves.edge_curve] >= 0
    former = curves.edge_curve[own]
    arc = curves.edge_arc[own]
    behind = backwards[former][:, None]
    arc = begins[former][:, None] + np.where(behind, length[former][:, None] - arc, arc)
    none = np.zeros(0)
    joined = Curves(
        np.array(start, np.int32),
        np.concatenate(points) if points else np.zeros((0, 3)),
        np.concatenate(arcs) if arcs else none,
        np.concatenate(parameters) if parameters else none,
        np.array(ends, np.int32).reshape(-1, 2),
        curves.edge_nodes[own],
        new[former],
        arc,
    )
    return Walked(
        facets,
        group,
        joined,
        np.array(offsets, np.int32),
        np.array(piece, np.int32),
        np.array(begin),
        np.array(turned, bool),
        length,
    )
