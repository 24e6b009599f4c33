"""The closed surface of one zone, with the part of it from which layers grow.

Where the zone lies on both sides of a sheet the surface has the sheet twice, once for each side,
and every node as often as there are fans of triangles around it: what grows on one side has
nothing to do with the other. On the sheet's free rim there is one fan, and one node.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from intaglio.triangles.closure import edge_keys
from intaglio.triangles.measures import triangle_normals

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
# numbers of 32 or 64 bit
Longs = NDArray[np.integer[Any]]
Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Arcs:
    """Columns that stand on one node together (see `arcs`): nodes (k, 3) of the walls on one side,
    of none, of those on the other; away (k, 3) the direction of the middle one; bands (w, 4)
    between them, wall (w,) a triangle beside each."""

    nodes: Ints
    away: Floats
    bands: Ints
    wall: Ints


NO_ARCS = Arcs(
    np.zeros((0, 3), np.int32), np.zeros((0, 3)), np.zeros((0, 4), np.int32), np.zeros(0, np.int32)
)


@dataclass(frozen=True)
class Shell:
    """points (n, 3), those of the surface first; origin (n,): the surface's node that each is;
    triangles (m, 3), outward from the zone; region (m,) their face; grown (m,) those from which
    layers grow; fixed (m,) those that must stay, as another zone, or the other side of a sheet,
    shares them; place (m,) the surface's triangle that each is a side of, front (m,) whether it is
    the side behind it; twin (m,): of a sheet the triangle on its other side, else -1; closed (n,):
    nodes from which nothing grows; stem (n,): the node that each was before `arcs` parted some."""

    points: Floats
    origin: Ints
    triangles: Ints
    region: Ints
    grown: Bools
    fixed: Bools
    place: Ints
    front: Bools
    twin: Ints
    closed: Bools
    stem: Ints
    arcs: Arcs

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
        """Nodes (n,) of grown triangles, and those of columns between them."""
        out = np.zeros(len(self.points), bool)
        out[self.triangles[self.grown]] = True
        out[self.arcs.nodes] = True
        return out

    @cached_property
    def edges(self) -> tuple[Ints, Ints]:
        """Half edges (3 m, 2) of all triangles, three after each other, and the triangle (3 m,)
        across each."""
        mate = mates(self.points, self.stem[self.triangles])
        return half_edges(self.triangles), (mate // 3).astype(np.int32)

    @cached_property
    def several(self) -> Bools:
        """Nodes (n,) that are not the only one of their origin."""
        count = np.bincount(self.origin[np.unique(self.triangles)], minlength=len(self.points))
        return np.asarray(count[self.origin] > 1)

    @cached_property
    def wall_edges(self) -> Ints:
        """Edges (e, 2) of grown triangles, each once."""
        pairs, _ = self.edges
        own = pairs[np.repeat(self.grown, 3)]
        key = np.unique(edge_keys(own))
        return np.stack([key >> 32, key & 0xFFFFFFFF], axis=1).astype(np.int32)


def half_edges(triangles: Ints) -> Ints:
    """Half edges (3 m, 2), three of each triangle after each other."""
    return triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)


def mates(points: Floats, triangles: Ints) -> Longs:
    """The half edge (3 m,) that runs against each, of the triangle that follows around their edge
    through the zone; triangles (m, 3) are turned outward and close the zone."""
    pairs = half_edges(triangles)
    key = edge_keys(pairs)
    order = np.argsort(key, kind="stable")
    _, first, count = np.unique(key[order], return_index=True, return_counts=True)
    crowded = np.repeat(count > 2, count)
    turn = np.zeros(len(key))
    at = order[crowded]
    turn[at] = _turns(points, triangles, at)
    # the zone lies below a half edge that runs from its lower node, above one that runs to it: each
    # of these goes with the next above it
    to_lower = pairs[:, 0] > pairs[:, 1]
    order = np.lexsort((to_lower, turn, key))
    after = np.arange(len(key)) + 1
    last = first + count - 1
    after[last] = first
    out = np.empty(len(key), np.int64)
    up = to_lower[order]
    out[order[up]] = order[after[up]]
    out[out[order[up]]] = order[up]
    return out


def _turns(points: Floats, triangles: Ints, half: Longs) -> Floats:
    """Angle (k,) around its edge, from the lower node to the higher, of the triangle of each half
    edge, from a direction that those of an edge have in common."""
    tri, corner = triangles[half // 3], half % 3
    rows = np.arange(len(half))
    a, b = tri[rows, corner], tri[rows, (corner + 1) % 3]
    low, high = points[np.minimum(a, b)], points[np.maximum(a, b)]
    along = high - low
    along /= np.linalg.norm(along, axis=1)[:, None]
    tip = points[tri[rows, (corner + 2) % 3]] - low
    one = np.cross(along, np.eye(3)[np.abs(along).argmin(axis=1)])
    one /= np.linalg.norm(one, axis=1)[:, None]
    other = np.cross(along, one)
    return np.arctan2(np.einsum("ij,ij->i", tip, other), np.einsum("ij,ij->i", tip, one))


def parted(points: Floats, triangles: Ints) -> tuple[Floats, Ints, Ints]:
    """Points and triangles with a node of its own for each fan of triangles around a node, and the
    origin of each point; the first fan keeps the node."""
    pairs = half_edges(triangles)
    mate = mates(points, triangles)
    half = np.arange(len(mate))
    # a half edge starts at its own corner and ends at the next one of its triangle
    end = half - half % 3 + (half % 3 + 1) % 3
    graph = coo_array(
        (np.ones(2 * len(half), np.int8), (np.r_[half, end], np.r_[end[mate], mate])),
        shape=(len(half),) * 2,
    )
    fan = connected_components(graph, directed=False)[1]
    node = np.empty(int(fan.max(initial=-1)) + 1, np.int64)
    node[fan] = pairs[:, 0]
    lead = np.unique(node, return_index=True)[1]
    extra = np.setdiff1d(np.arange(len(node)), lead)
    number = node.copy()
    number[extra] = len(points) + np.arange(len(extra))
    origin = np.concatenate([np.arange(len(points)), node[extra]]).astype(np.int32)
    return points[origin], number[fan].reshape(-1, 3).astype(np.int32), origin
