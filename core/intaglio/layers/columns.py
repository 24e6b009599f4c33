"""Columns of nodes over the walls, and the cells between them.

Every node has its own number of layers. Over a triangle, in a layer that all three nodes reach
stands a prism; where two reach it a pyramid, where one does a tetrahedron: the nodes that have
ended stay. Two neighbouring triangles see the same two columns, so that all faces fit, whatever the
numbers.
"""

from dataclasses import dataclass

import numpy as np

from intaglio.layers.bands import band_cells, roofed, roofs
from intaglio.layers.shell import Floats, Ints, Longs, Shell
from intaglio.mesh.building import NO_POLYGONS, Polygons
from intaglio.mesh.cells import NODES, PRISM, PYRAMID, TETRAHEDRON
from intaglio.mesh.mesh import Shapes


@dataclass(frozen=True)
class Columns:
    """count (n,): layers over each node of a shell; level (n, most + 1): number of the point at
    which each layer ends, from the node's origin on, the last repeated; tip (w,): point on each
    band that ends in a quadrilateral, -1 on others; points (p, 3): those of the shell, then those
    of the columns, then the tips."""

    count: Ints
    level: Ints
    tip: Ints
    points: Floats

    @property
    def top(self) -> Ints:
        """The uppermost point (n,) over each node."""
        return self.level[:, -1]


def columns(shell: Shell, way: Floats, heights: Floats, count: Ints) -> Columns:
    """Columns along way (n, 3) with layers ending at heights (n, most + 1), of which count (n,)
    are made."""
    n, most = len(shell.points), heights.shape[1] - 1
    there = np.arange(1, most + 1)[None, :] <= count[:, None]
    level = np.empty((n, most + 1), np.int32)
    level[:, 0] = shell.origin
    number = np.cumsum(there.ravel()).reshape(n, most) + n - 1
    for k in range(1, most + 1):
        level[:, k] = np.where(there[:, k - 1], number[:, k - 1], level[:, k - 1])
    node, layer = np.nonzero(there)
    more = shell.points[node] + way[node] * heights[node, layer + 1][:, None]
    points = np.concatenate([shell.points, more])
    own = roofed(shell, level)
    bands = shell.arcs.bands[own]
    tip = np.full(len(shell.arcs.bands), -1, np.int32)
    tip[own] = len(points) + np.arange(len(own))
    points = np.concatenate([points, roofs(shell.points[bands], points[level[bands, -1]])])
    return Columns(count.astype(np.int32), level, tip, points)


@dataclass(frozen=True)
class Layers:
    """Cells of layers: shape (c,), start (c + 1,) and nodes as in Mesh; wall (c,) the shell's
    triangle below each and layer (c,) which one it is, from 1; sides: their faces on the faces that
    do not grow, with the region of each."""

    shape: Shapes
    start: Longs
    nodes: Ints
    wall: Ints
    layer: Ints
    sides: Polygons


def layer_cells(shell: Shell, made: Columns) -> Layers:
    """The cells between the columns, layer by layer from the wall."""
    wall = np.flatnonzero(shell.grown)
    # seen from inside the zone counter-clockwise
    base = shell.triangles[wall][:, [0, 2, 1]]
    shape, nodes, of, layer = [], [], [], []
    for k in range(1, made.level.shape[1]):
        below, above = made.level[base, k - 1], made.level[base, k]
        up = made.count[base] >= k
        n = up.sum(axis=1)
        for want, kind in ((3, PRISM), (2, PYRAMID), (1, TETRAHEDRON)):
            own = np.flatnonzero(n == want)
            if not len(own):
                continue
            b, a = below[own], above[own]
            if want == 3:
                cell = np.concatenate([b, a], axis=1)
            else:
                # turned so that the node that differs from the others comes last
                odd = (~up[own] if want == 2 else up[own]).argmax(axis=1)
                turn = (odd[:, None] + np.arange(1, 4)) % 3
                b, a = np.take_along_axis(b, turn, 1), np.take_along_axis(a, turn, 1)
                if want == 2:
                    # a quadrilateral over the edge, seen from the node that stays
                    cell = np.stack([b[:, 0], a[:, 0], a[:, 1], b[:, 1], b[:, 2]], axis=1)
                else:
                    cell = np.stack([b[:, 0], b[:, 1], b[:, 2], a[:, 2]], axis=1)
            shape.append(np.full(len(own), kind, np.int8))
            nodes.append(cell.ravel().astype(np.int32))
            of.append(wall[own].astype(np.int32))
            layer.append(np.full(len(own), k, np.int32))
    for kind, cells, band, at in band_cells(shell, made.level, made.count, made.tip).groups:
        shape.append(np.full(len(cells), kind, np.int8))
        nodes.append(cells.ravel())
        of.append(shell.arcs.wall[band])
        layer.append(at)
    if not shape:
        none = np.zeros(0, np.int32)
        return Layers(np.zeros(0, np.int8), np.zeros(1, np.int64), none, none, none, NO_POLYGONS)
    shapes = np.concatenate(shape)
    return Layers(
        shapes,
        np.concatenate([[0], np.cumsum(NODES[shapes])]),
        np.concatenate(nodes),
        np.concatenate(of),
        np.concatenate(layer),
        _side_faces(shell, made),
    )


def _side_faces(shell: Shell, made: Columns) -> Polygons:
    """The layers' faces on faces that do not grow: one over each border edge and layer."""
    pairs, across = shell.edges
    own = np.repeat(np.arange(len(shell.triangles)), 3)
    border = np.flatnonzero(shell.grown[own] & ~shell.grown[across])
    out = NO_POLYGONS
    region = shell.region[across[border]]
    for k in range(1, made.level.shape[1]):
        a, b = pairs[border, 0], pairs[border, 1]
        up = (made.count[a] >= k).astype(int) + 2 * (made.count[b] >= k)
        low_a, low_b = made.level[a, k - 1], made.level[b, k - 1]
        high_a, high_b = made.level[a, k], made.level[b, k]
        # as the face that does not grow turns: it has the edge from b to a
        for want, corner in (
            (3, (low_b, low_a, high_a, high_b)),
            (1, (low_b, low_a, high_a)),
            (2, (low_b, low_a, high_b)),
        ):
            rows = np.flatnonzero(up == want)
            if len(rows):
                face = np.stack([c[rows] for c in corner], axis=1).astype(np.int32)
                out = out + Polygons.of_rows(face, region[rows].astype(np.int32))
    return out + _arc_ends(shell, made)


def _arc_ends(shell: Shell, made: Columns) -> Polygons:
    """The ends of bands on faces that do not grow, where a sharp edge ends in one."""
    pairs, across = shell.edges
    own = np.repeat(np.arange(len(shell.triangles)), 3)
    border = np.flatnonzero(shell.grown[own] & ~shell.grown[across])
    region = np.full(len(shell.points), -1, np.int32)
    region[pairs[border].ravel()] = np.repeat(shell.region[across[border]], 2)
    lead = shell.arcs.nodes[:, 0]
    ends = shell.arcs.nodes[(region[lead] >= 0) & (made.count[lead] > 0)]
    out = NO_POLYGONS
    for a, b in ((ends[:, 0], ends[:, 1]), (ends[:, 1], ends[:, 2])):
        on = region[ends[:, 0]]
        first = np.stack([made.level[a, 0], made.level[a, 1], made.level[b, 1]], axis=1)
        out = out + Polygons.of_rows(first, on)
        for k in range(2, made.level.shape[1]):
            rows = np.flatnonzero(made.count[a] >= k)
            at, on_k = (a[rows], b[rows]), on[rows]
            low, high = ([made.level[v, j] for v in at] for j in (k - 1, k))
            face = np.stack([low[0], high[0], high[1], low[1]], axis=1)
            out = out + Polygons.of_rows(face, on_k)
    return out
