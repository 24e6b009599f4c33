"""Edges without meaning: regions that meet smoothly are meshed as one and told apart again."""

from dataclasses import replace

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from intaglio.facets.facets import Curves, Facets, triangle_normals
from intaglio.numeric.boxtree import box_tree, nearest


def merged_regions(
    facets: Facets, curves: Curves, label: NDArray[np.int32], angle: float
) -> NDArray[np.int32]:
    """Group (regions,) of each region: joined where equal `label`s meet and turn under angle (rad).

    A curve joins only if it turns by less than the angle all along, between two triangles.
    """
    t = facets.triangles
    pairs = np.sort(t[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1).astype(np.int64)
    key = (pairs[:, 0] << 32) | pairs[:, 1]
    order = np.argsort(key, kind="stable")
    owner = order // 3
    same = key[order][1:] == key[order][:-1]
    twice = same & ~np.concatenate([[False], same[:-1]]) & ~np.concatenate([same[1:], [False]])
    a, b = owner[:-1][twice], owner[1:][twice]
    wanted = np.sort(curves.edge_nodes, axis=1).astype(np.int64)
    wanted_key = (wanted[:, 0] << 32) | wanted[:, 1]
    keys = key[order][:-1][twice]
    spot = np.minimum(np.searchsorted(keys, wanted_key), max(len(keys) - 1, 0))
    normal = triangle_normals(facets.points, t)
    joins = np.ones(len(curves.ends), bool)
    one = np.full(len(curves.ends), -1)
    other = one.copy()
    for e, c in enumerate(curves.edge_curve.tolist()):
        k = spot[e]
        if not len(keys) or keys[k] != wanted_key[e]:
            joins[c] = False
            continue
        if normal[a[k]] @ normal[b[k]] < np.cos(angle):
            joins[c] = False
        one[c], other[c] = facets.region[a[k]], facets.region[b[k]]
    joins &= (one >= 0) & (label[one] == label[other])
    n = int(facets.region.max()) + 1
    graph = coo_matrix((np.ones(int(joins.sum())), (one[joins], other[joins])), shape=(n, n))
    return connected_components(graph, directed=False)[1].astype(np.int32)


def without_inner_curves(
    facets: Facets, curves: Curves, group: NDArray[np.int32]
) -> tuple[Facets, Curves, NDArray[np.int64]]:
    """The facets by group, the curves that still part groups, and their former numbers (k,)."""
    apart = np.zeros(len(curves.ends), bool)
    uses: dict[tuple[int, int], list[int]] = {}
    for t, region in zip(facets.triangles.tolist(), facets.region.tolist(), strict=True):
        for i in range(3):
            e = (min(t[i], t[(i + 1) % 3]), max(t[i], t[(i + 1) % 3]))
            uses.setdefault(e, []).append(int(group[region]))
    for (a, b), c in zip(curves.edge_nodes.tolist(), curves.edge_curve.tolist(), strict=True):
        at = uses.get((min(a, b), max(a, b)), [])
        apart[c] |= len(at) != 2 or at[0] != at[1]
    kept = np.flatnonzero(apart)
    number = np.full(len(apart), -1, np.int32)
    number[kept] = np.arange(len(kept), dtype=np.int32)
    rows = [np.arange(curves.start[c], curves.start[c + 1]) for c in kept]
    pick = np.concatenate(rows).astype(np.int64) if rows else np.zeros(0, np.int64)
    edges = apart[curves.edge_curve]
    out = Curves(
        np.concatenate([[0], np.cumsum([len(r) for r in rows])]).astype(np.int32),
        curves.points[pick],
        curves.arc[pick],
        curves.parameter[pick],
        curves.ends[kept],
        curves.edge_nodes[edges],
        number[curves.edge_curve[edges]],
        curves.edge_arc[edges],
    )
    return replace(facets, region=group[facets.region]), out, kept


@njit(cache=True)
def _regions_at(tree, spots, group, region):
    """Region of the facet of each spot's group that is nearest to it, or -1."""
    out = np.empty(spots.shape[0], np.int32)
    near = np.empty(3)
    for k in range(spots.shape[0]):
        t = nearest(tree, group[k], spots[k], near)
        out[k] = region[t] if t >= 0 else -1
    return out


def regions_at(
    facets: Facets, group: NDArray[np.int32], spots: NDArray[np.float64], own: NDArray[np.int32]
) -> NDArray[np.int32]:
    """Region (n,) of the given facets nearest to each spot (n, 3) within the spot's group (n,)."""
    tree = box_tree(facets.points, facets.triangles, group[facets.region])
    return _regions_at(tree, np.ascontiguousarray(spots), own, facets.region)
