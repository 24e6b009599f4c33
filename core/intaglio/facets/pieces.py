"""Pieces of facets: what hangs together, whether it closes, how it is turned, what lies in what."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from intaglio.facets.part import FacetPart, Floats, Ints
from intaglio.numeric.winding import winding_numbers
from intaglio.triangles.edges import EdgeTable, consistent_turns, pairs_across, pieces
from intaglio.triangles.measures import triangle_areas


@dataclass(frozen=True)
class Pieces:
    """What hangs together: piece (m,) per triangle; closed, volume, area, low, high per piece."""

    piece: Ints
    closed: NDArray[np.bool_]
    volume: Floats
    area: Floats
    low: Floats
    high: Floats
    depth: NDArray[np.int32]  # in how many other closed pieces it lies


def find_pieces(part: FacetPart, table: EdgeTable) -> Pieces:
    """Pieces of the facets and how they lie in each other."""
    points, triangles = part.points, part.triangles
    piece = pieces(table, len(triangles))
    count = int(piece.max()) + 1
    edge = np.repeat(np.arange(len(table.uses)), table.uses)
    bad = table.uses[edge] != 2
    closed = np.ones(count, bool)
    closed[piece[table.half[bad] // 3]] = False
    corner = points[triangles]
    origin = points.mean(axis=0)
    share = np.einsum(
        "ij,ij->i",
        np.cross(corner[:, 0] - origin, corner[:, 1] - origin),
        corner[:, 2] - origin,
    )
    volume = np.bincount(piece, share, count) / 6.0
    area = np.bincount(piece, triangle_areas(points, triangles), count).astype(np.float64)
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, piece, corner.min(axis=1))
    np.maximum.at(high, piece, corner.max(axis=1))
    depth = np.zeros(count, np.int32)
    if 1 < count <= 400:
        depth = _depths(points, triangles, piece, closed, low, high)
    return Pieces(piece, closed, np.asarray(volume, float), area, low, high, depth)


def _depths(
    points: Floats,
    triangles: Ints,
    piece: Ints,
    closed: NDArray[np.bool_],
    low: Floats,
    high: Floats,
) -> Ints:
    depth = np.zeros(len(closed), np.int32)
    order = np.argsort(piece, kind="stable")
    start = np.searchsorted(piece[order], np.arange(len(closed) + 1))
    for outer in np.flatnonzero(closed):
        own = triangles[order[start[outer] : start[outer + 1]]]
        nested = (low > low[outer]).all(axis=1) & (high < high[outer]).all(axis=1)
        for inner in np.flatnonzero(nested):
            # one that is only partly inside is not inside
            some = order[start[inner] : start[inner + 1]]
            some = some[:: max(1, len(some) // 40)]
            spots = points[np.unique(triangles[some])]
            depth[inner] += bool((np.abs(winding_numbers(points, own, spots)) > 0.5).all())
    return depth


def twin_pieces(groups: Pieces, scale: float) -> NDArray[np.bool_]:
    """Pieces that agree with an earlier one in box and area to a hundred-thousandth."""
    sign = np.concatenate(
        [groups.low / scale, groups.high / scale, groups.area[:, None] / scale**2], axis=1
    )
    out = np.zeros(len(sign), bool)
    order = np.lexsort(np.round(sign, 4).T)
    for i, j in pairwise(order.tolist()):
        if np.abs(sign[i] - sign[j]).max() < 1e-5:
            out[max(i, j)] = True
    return out


def pieces_by_pairs(pairs: NDArray[np.int64], count: int) -> Ints:
    """Piece (m,) of each triangle across edges used twice only."""
    graph = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    return connected_components(graph, directed=False)[1].astype(np.int32)


def turned_triangles(
    triangles: Ints, table: EdgeTable, piece: Ints
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Triangles (m,) that disagree with most of their piece, and per piece whether it has two
    sides at all."""
    pairs, same = pairs_across(table)
    flip, orientable = consistent_turns(pairs, same, pieces_by_pairs(pairs, len(triangles)))
    own = pieces_by_pairs(pairs, len(triangles))
    count = np.bincount(own)
    turned = np.bincount(own, flip)
    flip ^= (2 * turned > count)[own]
    two_sided = np.ones(int(piece.max()) + 1, bool)
    np.logical_and.at(two_sided, piece, orientable[own])
    return flip, two_sided
