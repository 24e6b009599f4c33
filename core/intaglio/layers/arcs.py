"""Three columns in place of one at nodes of sharp outer edges and of the free rims of sheets.

Where two walls turn away from each other by so much that no direction sees both well, layers on
either wall keep a column of their own; between them stands a third, away from the edge. A band of
cells fills each of the two gaps: prisms at the edge, hexahedra over them. At a node that but one
sharp edge ends in, or more than two meet in, no layers stand.
"""

from dataclasses import dataclass, replace

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from intaglio.layers.shell import Arcs, Bools, Floats, Ints, Longs, Shell, half_edges, mates

# angle between the normals of two walls from which on the edge between them counts as sharp
_SHARP = np.cos(np.radians(100.0))
# up to this one a single column does, if it has to
_KNIFE = np.cos(np.radians(145.0))
# cosine to the columns under which the end of a band counts as turned
_FACING = 0.2


@dataclass(frozen=True)
class _Edges:
    """Sharp edges: half (e,) the half edge of each on one side; away (e, 3) the direction between
    the two walls, from both; mild (e,): those at which one column would still do."""

    half: Longs
    away: Floats
    mild: Bools


def with_arcs(shell: Shell) -> Shell:
    """The shell with three nodes for each that gets as many columns: of the walls on one side, of
    none, of the walls on the other side."""
    edges = _sharp_edges(shell)
    n = len(shell.points)
    pairs, across = shell.edges
    own = np.repeat(np.arange(len(shell.triangles)), 3)
    border = shell.grown[own] & ~shell.grown[across]
    beside = np.bincount(pairs[border].ravel(), minlength=n)
    while True:
        if not len(edges.half):
            return shell
        ends = pairs[edges.half]
        sharp = np.bincount(ends.ravel(), minlength=n)
        parts = ((sharp == 2) & (beside == 0)) | ((sharp == 1) & (beside == 2))
        sector, sectors = _sectors(shell, edges)
        # a node has two sides, or something else is amiss
        parts &= sectors == 2
        closed = (sharp > 0) & ~parts
        # where one column does, it is better than none
        needless = edges.mild & closed[ends].any(axis=1)
        if not needless.any():
            break
        edges = _Edges(edges.half[~needless], edges.away[~needless], edges.mild[~needless])
    closed |= shell.closed
    nodes = np.flatnonzero(parts)
    other = np.full(n, -1)
    other[nodes] = n + np.arange(len(nodes))
    middle = np.full(n, -1)
    middle[nodes] = n + len(nodes) + np.arange(len(nodes))
    corner = shell.triangles.ravel()
    moved = (sector == 1) & parts[corner]
    triangles = np.where(moved, other[corner], corner).reshape(-1, 3).astype(np.int32)
    more = np.concatenate([nodes, nodes])
    away = np.zeros((n, 3))
    for k in range(2):
        np.add.at(away, ends[:, k], edges.away)
    out = away[nodes]
    out /= np.maximum(np.linalg.norm(out, axis=1), 1e-300)[:, None]
    return replace(
        shell,
        points=np.concatenate([shell.points, shell.points[more]]),
        origin=np.concatenate([shell.origin, shell.origin[more]]),
        stem=np.concatenate([shell.stem, shell.stem[more]]),
        triangles=triangles,
        closed=np.concatenate([closed, closed[more]]),
        arcs=Arcs(
            np.stack([nodes, middle[nodes], other[nodes]], axis=1).astype(np.int32),
            out,
            _bands(shell, triangles, edges, middle),
            np.repeat(edges.half // 3, 2).astype(np.int32),
        ),
    )


def _sharp_edges(shell: Shell) -> _Edges:
    pairs, across = shell.edges
    own = np.repeat(np.arange(len(shell.triangles)), 3)
    half = np.flatnonzero(shell.grown[own] & shell.grown[across] & (pairs[:, 0] < pairs[:, 1]))
    one, two = own[half], across[half]
    cosine = np.einsum("ij,ij->i", shell.inward[one], shell.inward[two])
    half, one, two, cosine = (v[cosine < _SHARP] for v in (half, one, two, cosine))
    into = [_into(shell, pairs[half], t) for t in (one, two)]
    # the other wall falls away behind the first, or is its other side
    below = np.einsum("ij,ij->i", into[1], shell.inward[one]) < 1e-6
    away = -(into[0] + into[1])[below]
    length = np.linalg.norm(away, axis=1)
    fit = length > 1e-6
    mild = cosine[below][fit] > _KNIFE
    return _Edges(half[below][fit], away[fit] / length[fit][:, None], mild)


def _into(shell: Shell, ends: Ints, triangle: Longs) -> Floats:
    """Unit vector (k, 3) from each edge (k, 2) into a triangle at it, square to the edge."""
    a, b = shell.points[ends[:, 0]], shell.points[ends[:, 1]]
    tip = shell.points[shell.triangles[triangle]].sum(axis=1) - a - b
    along = (b - a) / np.linalg.norm(b - a, axis=1)[:, None]
    out = tip - a
    out -= np.einsum("ij,ij->i", out, along)[:, None] * along
    return out / np.linalg.norm(out, axis=1)[:, None]


def _sectors(shell: Shell, edges: _Edges) -> tuple[Longs, Longs]:
    """Which of the two sides (3 m,) of its node each corner is on, and how many sides each node
    (n,) has, of walls that hang together around it but for sharp edges; corners of faces that do
    not grow count as on the first."""
    m = len(shell.triangles)
    mate = mates(shell.points, shell.stem[shell.triangles])
    half = np.arange(3 * m)
    end = half - half % 3 + (half % 3 + 1) % 3
    grown = np.repeat(shell.grown, 3)
    joins = grown & grown[mate]
    joins[edges.half] = joins[mate[edges.half]] = False
    h = half[joins]
    graph = coo_array(
        (np.ones(2 * len(h), np.int8), (np.r_[h, end[h]], np.r_[end[mate[h]], mate[h]])),
        shape=(3 * m,) * 2,
    )
    label = connected_components(graph, directed=False)[1]
    corner = shell.triangles.ravel()
    walls = np.flatnonzero(grown)
    labels, first = np.unique(label[walls], return_index=True)
    node = corner[walls[first]]
    order = np.lexsort((labels, node))
    start = np.searchsorted(node[order], node[order], "left")
    rank = np.zeros(int(label.max()) + 1, np.int64)
    rank[labels[order]] = np.arange(len(order)) - start
    count = np.bincount(node, minlength=len(shell.points))
    return np.where(grown, rank[label], 0), count


def _bands(shell: Shell, triangles: Ints, edges: _Edges, middle: Longs) -> Ints:
    """The quadrilaterals (2 e, 4) between the columns at the ends of sharp edges, two of each, as
    the walls turn: without an area at the wall. Where an end has one node it is there twice."""
    half = edges.half
    mate = mates(shell.points, shell.stem[shell.triangles])[half]
    pairs = half_edges(triangles)
    a1, b1 = pairs[half].T
    b2, a2 = pairs[mate].T
    a, b = half_edges(shell.triangles)[half].T
    am, bm = (np.where(middle[v] >= 0, middle[v], v) for v in (a, b))
    one = np.stack([b1, a1, am, bm], axis=1)
    two = np.stack([bm, am, a2, b2], axis=1)
    return np.stack([one, two], axis=1).reshape(-1, 4).astype(np.int32)


def arc_steps(shell: Shell) -> Ints:
    """Pairs of nodes (k, 2) that carry columns of one height."""
    return np.concatenate([shell.arcs.nodes[:, :2], shell.arcs.nodes[:, 1:]])


def bands_turned(shell: Shell, way: Floats, height: Floats) -> Bools:
    """Bands (w,) over which the cap between columns of heights (n,) along way (n, 3) is turned."""
    bands = shell.arcs.bands
    rise = (way * height[:, None])[bands]
    corner, lift = shell.points[bands] + rise, rise.sum(axis=1)
    bad = np.zeros(len(bands), bool)
    for three in ((0, 1, 2), (0, 2, 3), (1, 2, 3), (1, 3, 0)):
        a, b, c = (corner[:, k] for k in three)
        across = np.cross(b - a, c - a)
        size = np.linalg.norm(across, axis=1) * np.linalg.norm(lift, axis=1)
        # outward from the zone, so against the columns
        bad |= (np.einsum("ij,ij->i", across, lift) > -_FACING * size) & (size > 0)
    return bad
