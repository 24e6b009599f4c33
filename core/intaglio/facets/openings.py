"""Free edges told apart: gaps between edges that nearly meet, holes, and the rest."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from intaglio.facets.part import Floats, Ints, scale_of
from intaglio.triangles.edges import EdgeTable, rims

# a gap is narrower than this share of the model, and than this share of its own length
_OF_MODEL = 0.03
_OF_LENGTH = 0.2
_NEIGHBOURS = 24
# the way along the edges to the other side of a gap is at least this many times its width
_DETOUR = 3.0


@dataclass(frozen=True)
class Hole:
    """A closed chain of free edges: its nodes in order (first not repeated), centre, diameter of
    the circle of equal area, and perimeter."""

    nodes: NDArray[np.int64]
    centre: Floats
    diameter: float
    perimeter: float


@dataclass(frozen=True)
class FreeEdges:
    """edges (k, 2) that one triangle uses; width (k,) of the gap at each, inf where there is none;
    gap (k,) number of the gap it is on, -1 for none; holes; rest (k,) on neither; slits: gaps that
    one closed chain makes with itself, which can be capped like holes."""

    edges: Ints
    width: Floats
    gap: Ints
    holes: tuple[Hole, ...]
    rest: NDArray[np.bool_]
    slits: tuple[Hole, ...]


def vector_area(points: Floats) -> Floats:
    """Vector area (3,) of a closed polygon (n, 3); for a flat one its normal times its area."""
    p = points - points.mean(axis=0)
    return 0.5 * np.cross(p, np.roll(p, -1, axis=0)).sum(axis=0)


def rim_centre(points: Floats) -> Floats:
    """Centre (3,) of a closed polygon's rim (n, 3), by length, however its corners are spread."""
    after = np.roll(points, -1, axis=0)
    length = np.linalg.norm(after - points, axis=1)
    return length @ (0.5 * (points + after)) / max(float(length.sum()), 1e-300)


def free_edges(points: Floats, triangles: Ints, table: EdgeTable) -> FreeEdges:
    """Tell free edges apart: gaps, holes, the rest."""
    lone = np.flatnonzero(table.uses == 1)
    edges = table.nodes[lone]
    none = np.full(len(edges), -1, np.int32)
    if not len(edges):
        return FreeEdges(edges, np.zeros(0), none, (), np.zeros(0, bool), ())
    spot = np.full(len(table.uses), -1)
    spot[lone] = np.arange(len(lone))
    walks = rims(triangles, table)
    chain = np.full(len(edges), len(walks))
    arc = np.zeros(len(edges))
    total = np.zeros(len(walks) + 1)
    for c, (line, along) in enumerate(walks):
        length = np.linalg.norm(points[np.roll(line, -1)] - points[line], axis=1)
        way = np.cumsum(length)
        chain[spot[along]] = c
        arc[spot[along]] = way - 0.5 * length
        total[c] = way[-1]
    # edges on no rim, each for itself
    stray = np.flatnonzero(chain == len(walks))
    chain[stray] = len(walks) + np.arange(len(stray))
    own_length = np.linalg.norm(points[edges[stray, 0]] - points[edges[stray, 1]], axis=1)
    total = np.concatenate([total[: len(walks)], own_length])
    loop = np.arange(len(total)) < len(walks)
    width, other = _widths(points, triangles, table, lone, chain, arc, total, loop)
    gap = _gap_numbers(width, other, chain)
    holes: list[Hole] = []
    slits: list[Hole] = []
    rest = np.ones(len(edges), bool)
    rest[np.isfinite(width)] = False
    for c, (line, along) in enumerate(walks):
        own = spot[along]
        rest[own] = False
        length = np.linalg.norm(points[np.roll(line, -1)] - points[line], axis=1)
        if length[np.isfinite(width[own])].sum() >= 0.5 * length.sum():
            # what is left over is the ends of the gap
            gap[own] = gap[own].max()
            met = other[own][other[own] >= 0]
            if len(line) > 2 and (chain[met] == c).all():
                slits.append(_hole(points, line, float(total[c])))
            continue
        gap[own] = -1
        width[own] = np.inf
        holes.append(_hole(points, line, float(total[c])))
    holes.sort(key=lambda h: -h.perimeter)
    return FreeEdges(edges, width, gap, tuple(holes), rest, tuple(slits))


def _hole(points: Floats, line: NDArray[np.int64], perimeter: float) -> Hole:
    corner = points[line]
    area = float(np.linalg.norm(vector_area(corner)))
    return Hole(line, rim_centre(corner), 2 * float(np.sqrt(area / np.pi)), perimeter)


def _widths(
    points: Floats,
    triangles: Ints,
    table: EdgeTable,
    lone: NDArray[np.int64],
    chain: NDArray[np.int64],
    arc: Floats,
    total: Floats,
    loop: NDArray[np.bool_],
) -> tuple[Floats, NDArray[np.int64]]:
    """Per free edge the distance across to another one, inf for none, and that other edge.

    The other edge lies beyond this one's own triangle, and far away along the edges.
    """
    nodes = table.nodes[lone]
    a, b = points[nodes[:, 0]], points[nodes[:, 1]]
    middle = 0.5 * (a + b)
    half = table.half[table.start[lone]]
    apex = points[triangles[half // 3, (half % 3 + 2) % 3]]
    along = (b - a) / np.maximum(np.linalg.norm(b - a, axis=1), 1e-300)[:, None]
    away = middle - apex
    away -= np.einsum("ij,ij->i", away, along)[:, None] * along
    away /= np.maximum(np.linalg.norm(away, axis=1), 1e-300)[:, None]
    limit = _OF_MODEL * scale_of(points)
    # samples along each edge, so that edges of unlike length still see each other
    length = np.linalg.norm(b - a, axis=1)
    step = max(float(np.median(length)) / 2, 1e-12)
    count = np.clip(np.ceil(length / step), 1, 64).astype(int)
    edge = np.repeat(np.arange(len(nodes)), count)
    share = (np.concatenate([np.arange(c) for c in count]) + 0.5) / count[edge]
    sample = a[edge] + share[:, None] * (b - a)[edge]
    sample_arc = arc[edge] + (share - 0.5) * length[edge]
    tree = cKDTree(sample)
    distance, near = tree.query(middle, k=min(_NEIGHBOURS, len(sample)), distance_upper_bound=limit)
    distance = distance.reshape(len(middle), -1)
    near = near.reshape(len(middle), -1)
    found = np.isfinite(distance)
    spot = np.where(found, near, 0)
    there = edge[spot]
    detour = np.abs(sample_arc[spot] - arc[:, None])
    around = np.where(loop[chain], total[chain], np.inf)[:, None]
    detour = np.minimum(detour, around - detour)
    detour = np.where(chain[there] == chain[:, None], detour, np.inf)
    # straight across, not along: the distance to the other edge's line
    delta = middle[:, None, :] - a[there]
    off = delta - np.einsum("ijk,ijk->ij", delta, along[there])[..., None] * along[there]
    across = np.minimum(distance, np.linalg.norm(off, axis=2))
    outward = -np.einsum("ijk,ik->ij", middle[:, None, :] - sample[spot], away)
    good = (
        found
        & (there != np.arange(len(middle))[:, None])
        & (detour > _DETOUR * distance)
        & (across < _OF_LENGTH * total[chain][:, None])
        & (outward > -0.2 * distance)
        & (distance < limit)
    )
    cost = np.where(good, distance, np.inf)
    best = cost.argmin(axis=1)
    row = np.arange(len(middle))
    ok = np.isfinite(cost[row, best])
    width = np.where(ok, across[row, best], np.inf)
    return width, np.where(ok, there[row, best], -1)


def _gap_numbers(width: Floats, other: NDArray[np.int64], chain: NDArray[np.int64]) -> Ints:
    """Number of the gap of each free edge: chains that face each other are on one gap."""
    on = np.isfinite(width)
    gap = np.full(len(width), -1, np.int32)
    if not on.any():
        return gap
    count = int(chain.max()) + 1
    graph = coo_array((np.ones(int(on.sum())), (chain[on], chain[other[on]])), shape=(count, count))
    label = connected_components(graph, directed=False)[1]
    gap[on] = np.unique(label[chain[on]], return_inverse=True)[1].astype(np.int32)
    return gap
