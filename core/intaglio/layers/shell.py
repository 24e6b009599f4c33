"""The closed surface of one zone, with the part of it from which layers grow."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.facets.facets import edge_keys, edge_uses, triangle_normals

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
# numbers of 32 or 64 bit
Longs = NDArray[np.integer[Any]]
Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Shell:
    """points (n, 3); triangles (m, 3), outward from the zone; region (m,) their face; grown (m,)
    those from which layers grow; fixed (m,) those that must stay, as another zone shares them;
    sheets (k, 3): triangles with the zone on both sides, which stay too."""

    points: Floats
    triangles: Ints
    region: Ints
    grown: Bools
    fixed: Bools
    sheets: Ints

    @cached_property
    def inward(self) -> Floats:
        """Unit normals (m, 3) into the zone."""
        return -triangle_normals(self.points, self.triangles)

    @cached_property
    def corners(self) -> tuple[Longs, Longs, Longs]:
        """Corners of grown triangles in the order of their nodes: the node of each, its place in
        triangles.ravel(), and where each node's begin (n + 1,)."""
        place = np.flatnonzero(np.repeat(self.grown, 3))
        node = self.triangles.ravel()[place].astype(np.int64)
        order = np.argsort(node, kind="stable")
        start = np.searchsorted(node[order], np.arange(len(self.points) + 1))
        return node[order], place[order], start

    @cached_property
    def walls(self) -> Bools:
        """Nodes (n,) of grown triangles."""
        out = np.zeros(len(self.points), bool)
        out[self.triangles[self.grown]] = True
        return out

    @cached_property
    def edges(self) -> tuple[Ints, Ints]:
        """Half edges (3 m, 2) of all triangles, three after each other, and a triangle (3 m,)
        across each. At an edge that more than two triangles share it is any of them."""
        pairs = self.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
        order = np.argsort(edge_keys(pairs), kind="stable")
        across = np.empty(len(order), np.int32)
        across[order[0::2]] = order[1::2] // 3
        across[order[1::2]] = order[0::2] // 3
        return pairs, across

    @cached_property
    def crowded(self) -> Bools:
        """Nodes (n,) on sheets, or on edges that more than two triangles share."""
        out = np.zeros(len(self.points), bool)
        out[self.sheets] = True
        edges, uses, _ = edge_uses(self.triangles)
        out[edges[uses != 2]] = True
        return out

    @cached_property
    def all_triangles(self) -> Ints:
        """The triangles (m + k, 3), then the sheets."""
        return np.concatenate([self.triangles, self.sheets])

    @cached_property
    def wall_edges(self) -> Ints:
        """Edges (e, 2) of grown triangles, each once."""
        pairs, _ = self.edges
        own = pairs[np.repeat(self.grown, 3)]
        key = np.unique(edge_keys(own))
        return np.stack([key >> 32, key & 0xFFFFFFFF], axis=1).astype(np.int32)
