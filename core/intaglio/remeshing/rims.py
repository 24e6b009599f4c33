"""Triangles of sheets between nodes of a free rim alone, parted.

Where cells lie on both sides of a sheet its nodes are there twice, but for those on a free rim. The
two faces of a triangle with rim nodes alone would have the same nodes, as an inner face has.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.remeshing.surface import ON_CURVE, ON_FACE
from intaglio.triangles.closure import edge_keys, rim_nodes
from intaglio.triangles.facets import Curves, Floats, Ints


def parted_at_rims(surface: RemeshedSurface, curves: Curves) -> RemeshedSurface:
    """The surface with every triangle between rim nodes alone parted at its inner edges, or from
    its middle if it has none. The new nodes lie on the facets' edges."""
    tri, n = surface.triangles, len(surface.points)
    # edge i lies across from corner i
    key = np.stack([edge_keys(tri[:, [(i + 1) % 3, (i + 2) % 3]]) for i in range(3)], axis=1)
    edge, place, uses = np.unique(key, return_inverse=True, return_counts=True)
    place = place.reshape(key.shape)
    ends = np.stack([edge >> 32, edge & 0xFFFFFFFF], axis=1)
    bad = rim_nodes(tri, n)[tri].all(axis=1)
    if not bad.any():
        return surface
    halved = np.zeros(len(edge), bool)
    halved[place[bad]] = True
    halved &= uses > 1
    chosen = np.flatnonzero(halved)
    middle = np.full(len(edge), -1)
    middle[chosen] = n + np.arange(len(chosen))
    lone = bad & ~halved[place].any(axis=1)
    centre = np.full(len(tri), -1)
    centre[lone] = n + len(chosen) + np.arange(lone.sum())
    triangles, origin = _split(tri, middle[place], centre)
    region_of = np.empty(len(edge), np.int32)
    region_of[place] = surface.region[:, None]
    on_curve, curve = _curves_at(surface, edge[chosen])
    spots = surface.points[ends[chosen]].mean(axis=1)
    count = int(lone.sum())
    owner = np.where(on_curve, curve, region_of[chosen])
    arc = np.zeros(len(chosen))
    for c in np.unique(curve[on_curve]):
        own = on_curve & (curve == c)
        arc[own] = _arc_at(curves, int(c), spots[own])
    held = chosen[on_curve]
    pieces = np.stack([ends[held], middle[held, None].repeat(2, 1)], axis=2)
    gone = np.isin(edge_keys(surface.edges), edge[held])
    return replace(
        surface,
        points=np.concatenate([surface.points, spots, surface.points[tri[lone]].mean(axis=1)]),
        triangles=triangles,
        region=surface.region[origin],
        kind=np.concatenate(
            [
                surface.kind,
                np.where(on_curve, ON_CURVE, ON_FACE).astype(np.int8),
                np.full(count, ON_FACE, np.int8),
            ]
        ),
        owner=np.concatenate([surface.owner, owner, surface.region[lone]]).astype(np.int32),
        arc=np.concatenate([surface.arc, arc, np.zeros(count)]),
        edges=np.concatenate([surface.edges[~gone], pieces.reshape(-1, 2)]).astype(np.int32),
        edge_curve=np.concatenate([surface.edge_curve[~gone], curve[on_curve].repeat(2)]).astype(
            np.int32
        ),
    )


def _split(
    tri: Ints, middle: NDArray[np.int64], centre: NDArray[np.int64]
) -> tuple[Ints, NDArray[np.int64]]:
    """Triangles parted at the nodes on their edges, middle (t, 3), or from a node within, centre
    (t,), -1 where there is none; and the triangle that each comes from."""
    count = (middle >= 0).sum(axis=1)
    out, origin = [tri[(count == 0) & (centre < 0)]], [np.flatnonzero((count == 0) & (centre < 0))]

    def add(rows: NDArray[np.int64], *corners: NDArray[np.int64]) -> None:
        out.append(np.column_stack(corners))
        origin.append(rows)

    rows = np.flatnonzero(centre >= 0)
    for i in range(3):
        add(rows, tri[rows, i], tri[rows, (i + 1) % 3], centre[rows])
    for first in range(3):
        i, j, k = first, (first + 1) % 3, (first + 2) % 3
        rows = np.flatnonzero((count == 1) & (middle[:, i] >= 0))
        a, b, c, m = tri[rows, i], tri[rows, j], tri[rows, k], middle[rows, i]
        add(rows, a, b, m)
        add(rows, a, m, c)
        rows = np.flatnonzero((count == 2) & (middle[:, i] < 0))
        a, b, c, m, o = tri[rows, i], tri[rows, j], tri[rows, k], middle[rows, k], middle[rows, j]
        add(rows, a, m, o)
        add(rows, m, b, c)
        add(rows, m, c, o)
    rows = np.flatnonzero(count == 3)
    for i in range(3):
        add(rows, tri[rows, i], middle[rows, (i + 2) % 3], middle[rows, (i + 1) % 3])
    add(rows, *middle[rows].T)
    return np.concatenate(out).astype(np.int32), np.concatenate(origin)


def _curves_at(
    surface: RemeshedSurface, keys: NDArray[np.int64]
) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    """Whether edges, by their keys (k,), lie on curves, and on which."""
    own = edge_keys(surface.edges)
    order = np.argsort(own)
    at = np.minimum(np.searchsorted(own[order], keys), max(len(own) - 1, 0))
    if not len(own):
        return np.zeros(len(keys), bool), np.zeros(len(keys), np.int64)
    return own[order[at]] == keys, surface.edge_curve[order[at]].astype(np.int64)


def _arc_at(curves: Curves, curve: int, spots: Floats) -> Floats:
    """Arc lengths (k,) of the places on a curve nearest to spots (k, 3)."""
    lo, hi = curves.start[curve], curves.start[curve + 1]
    _, nearest = cKDTree(curves.points[lo:hi]).query(spots)
    out: Floats = curves.arc[lo:hi][nearest]
    return out
