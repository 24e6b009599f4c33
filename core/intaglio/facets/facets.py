"""A triangulated surface with named regions and feature curves: the reference for meshing."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, box_tree

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


@dataclass(frozen=True)
class Facets:
    """Triangles of one closed or open surface, oriented outward where it is closed.

    points (n, 3) in model units; triangles (m, 3); region (m,) number of the CAD face or facet
    region; curvature (n,) largest normal curvature in 1/unit, 0 where flat or unknown.
    """

    points: Floats
    triangles: Ints
    region: Ints
    curvature: Floats

    @cached_property
    def tree(self) -> BoxTree:
        """Over all triangles."""
        return box_tree(self.points, self.triangles)

    @cached_property
    def memo(self) -> dict[Any, Any]:
        """What others found out about these facets and may need again; kept with them."""
        return {}


@dataclass(frozen=True)
class Curves:
    """Feature curves as dense polylines over arc length.

    start (k + 1,) offsets into points (n, 3), arc (n,) and parameter (n,); ends (k, 2) node of the
    surface at each end; edge_nodes (e, 2), edge_curve (e,), edge_arc (e, 2): the surface's edges on
    curves, with the arc length at their nodes.
    """

    start: Ints
    points: Floats
    arc: Floats
    parameter: Floats
    ends: Ints
    edge_nodes: Ints
    edge_curve: Ints
    edge_arc: Floats


def triangle_areas(points: Floats, triangles: Ints) -> Floats:
    """Areas (m,) of triangles, in unit²."""
    a, b, c = (points[triangles[:, i]] for i in range(3))
    return 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)


def triangle_normals(points: Floats, triangles: Ints) -> Floats:
    """Unit normals (m, 3); zero for a triangle without area."""
    a, b, c = (points[triangles[:, i]] for i in range(3))
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1)
    return normal / np.where(length > 0, length, 1.0)[:, None]


def enclosed_volume(points: Floats, triangles: Ints) -> float:
    """Volume inside a closed, outward surface by the divergence theorem, in unit³."""
    origin = points[triangles].mean(axis=(0, 1))
    a, b, c = (points[triangles[:, i]] - origin for i in range(3))
    return float(np.einsum("ij,ij->i", np.cross(a, b), c).sum() / 6.0)


def edge_uses(triangles: Ints) -> tuple[Ints, NDArray[np.int64], NDArray[np.int64]]:
    """Edges (e, 2), low node first, uses (e,), net direction (e,): 0 if passed both ways."""
    pairs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    forward = np.where(pairs[:, 0] < pairs[:, 1], 1, -1)
    key, inverse, count = np.unique(edge_keys(pairs), return_inverse=True, return_counts=True)
    edges = np.stack([key >> 32, key & 0xFFFFFFFF], axis=1).astype(np.int32)
    net = np.bincount(inverse.ravel(), weights=forward, minlength=len(edges)).astype(np.int64)
    return edges, count, net


def edge_keys(pairs: Ints) -> NDArray[np.int64]:
    """One number (n,) for each edge (n, 2), whichever way it runs."""
    ends = np.sort(pairs, axis=1).astype(np.int64)
    return (ends[:, 0] << 32) | ends[:, 1]


def triangles_on(
    triangles: Ints, edges: Ints
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """The triangles at edges (n, 2): a list, and for each edge where its own begin in it (n,) and
    how many they are (n,)."""
    key = edge_keys(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2))
    order = np.argsort(key, kind="stable")
    wanted = edge_keys(edges)
    first = np.searchsorted(key[order], wanted, "left")
    count = np.searchsorted(key[order], wanted, "right") - first
    return order // 3, first, count


def open_edges(triangles: Ints) -> Ints:
    """Edges (k, 2) that break a closed, consistently oriented surface."""
    edges, count, net = edge_uses(triangles)
    return edges[(count != 2) | (net != 0)]


def rim_nodes(triangles: Ints, count: int) -> NDArray[np.bool_]:
    """Which of `count` nodes lie on edges that one triangle alone has."""
    edges, uses, _ = edge_uses(triangles)
    out = np.zeros(count, bool)
    out[edges[uses == 1]] = True
    return out


def zone_surfaces(triangles: Ints, sides: Ints | None) -> list[Ints]:
    """The triangles around each zone, outward from it.

    sides (m, 2): zone behind and before each triangle, -1 where there is none; without it one
    zone lies behind all of them.
    """
    if sides is None:
        return [triangles]
    return [
        np.concatenate([triangles[sides[:, 0] == zone], triangles[sides[:, 1] == zone][:, ::-1]])
        for zone in range(int(sides.max()) + 1)
    ]


def unclosed_edges(triangles: Ints, sides: Ints | None = None) -> Ints:
    """Edges (k, 2) at which the surface of some zone does not close, turned consistently."""
    broken = [np.zeros((0, 2), np.int32)]
    for own in zone_surfaces(triangles, sides):
        edges, _, net = edge_uses(own)
        broken.append(edges[net != 0])
    return np.unique(np.concatenate(broken), axis=0)
