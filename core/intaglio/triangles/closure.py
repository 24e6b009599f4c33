"""Edges by the numbers of their nodes, and where a surface does not close."""

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int32]


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
