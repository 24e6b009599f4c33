"""The cells of layers in the bands between the columns of a sharp edge.

A band is a quadrilateral without an area at the wall, c0 c1 c2 c3, of which c1, c2 stand on one end
of the edge and c0, c3 on the other. Over it stand a prism with its triangles at the ends, then
hexahedra; where but one end goes on, a prism, a pyramid or a tetrahedron. The core has triangles:
on a quadrilateral at the end of a band stands a pyramid.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from intaglio.layers.shell import Bools, Floats, Ints, Longs, Shell
from intaglio.mesh.cells import HEXAHEDRON, PRISM, PYRAMID, TETRAHEDRON


@dataclass(frozen=True)
class BandCells:
    """Cells by shape: (shape, nodes (k, nodes of the shape), band (k,), layer (k,))."""

    groups: list[tuple[int, Ints, Ints, Ints]]


# height of the pyramid on a band over the shorter of its sides
_ROOF = 0.4


def roofed(shell: Shell, level: Ints) -> Ints:
    """Bands (k,) that end in a quadrilateral, level (n, most + 1) of the columns."""
    top = np.sort(level[shell.arcs.bands, -1], axis=1)
    return np.flatnonzero((top[:, 1:] != top[:, :-1]).all(axis=1)).astype(np.int32)


def roofs(foot: Floats, top: Floats) -> Floats:
    """Tips (k, 3) of the pyramids on the ends of bands, corners (k, 4, 3) over foot (k, 4, 3)."""
    up = (top - foot).sum(axis=1)
    up /= np.maximum(np.linalg.norm(up, axis=1), 1e-300)[:, None]
    sides = np.linalg.norm(top - np.roll(top, -1, axis=1), axis=2)
    width = np.minimum(sides[:, [0, 2]].mean(axis=1), sides[:, [1, 3]].mean(axis=1))
    middle = top.mean(axis=1)
    # over both diagonals, if the end is bent
    bent = np.abs(np.einsum("ij,ij->i", top[:, 0] + top[:, 2] - top[:, 1] - top[:, 3], up)) / 4
    return middle + (bent + _ROOF * width)[:, None] * up


def last_layer(shell: Shell, count: Ints) -> Ints:
    """The last layer (w,) over each band, count (n,) of the columns."""
    return count[shell.arcs.bands].max(axis=1).astype(np.int32)


def band_ends(shell: Shell, level: Ints, tip: Ints) -> tuple[Ints, Ints]:
    """Triangles (t, 3) of the core over the bands, outward, and the band (t,) of each; tip (w,):
    the point on each band, -1 where none is needed."""
    c = level[shell.arcs.bands, -1]
    on = np.flatnonzero(tip >= 0).astype(np.int32)
    flat = np.flatnonzero(tip < 0).astype(np.int32)
    sides = [np.column_stack([c[on, k], c[on, (k + 1) % 4], tip[on]]) for k in range(4)]
    rows = np.concatenate([*sides, c[flat][:, [0, 1, 2]], c[flat][:, [0, 2, 3]]])
    band = np.concatenate([np.tile(on, 4), np.tile(flat, 2)])
    x, y, z = rows.T
    keeps = (x != y) & (y != z) & (z != x)
    return rows[keeps].astype(np.int32), band[keeps]


def band_cells(shell: Shell, level: Ints, count: Ints, tip: Ints) -> BandCells:
    """Cells over the bands; tip (w,): the point on each, -1 where none is needed."""
    groups: list[tuple[int, Ints, Ints, Ints]] = []
    bands = shell.arcs.bands
    last = last_layer(shell, count)
    for k in range(1, int(last.max(initial=0)) + 1):
        low, high = level[bands, k - 1], level[bands, k]
        near, far = count[bands[:, 1]] >= k, count[bands[:, 0]] >= k
        for rows, shape, nodes in _whole(k, low, high, near, far):
            groups.append((shape, nodes, rows.astype(np.int32), np.full(len(rows), k, np.int32)))
    on = np.flatnonzero(tip >= 0).astype(np.int32)
    if len(on):
        roof = np.column_stack([level[bands[on], -1][:, ::-1], tip[on]]).astype(np.int32)
        groups.append((PYRAMID, roof, on, last[on]))
    return BandCells(groups)


def _whole(
    k: int, low: Ints, high: Ints, near: Bools, far: Bools
) -> Iterator[tuple[Longs, int, Ints]]:
    """Rows of bands, shape and nodes of their cells in layer k, by how the ends go on."""
    l0, l1, l2, l3 = low.T
    h0, h1, h2, h3 = high.T
    ended = l0 == l3  # the far end has one node
    ended_near = l1 == l2
    cases = (
        (near & far & (k > 1), HEXAHEDRON, (l3, l2, l1, l0, h3, h2, h1, h0)),
        (near & far & (k == 1), PRISM, (l1, h2, h1, l0, h3, h0)),
        (near & ~far & ended & (k == 1), TETRAHEDRON, (l1, h2, h1, l0)),
        (near & ~far & ended & (k > 1), PYRAMID, (l2, h2, h1, l1, l0)),
        (near & ~far & ~ended, PRISM, (l1, h1, l0, l2, h2, l3)),
        (far & ~near & ended_near & (k == 1), TETRAHEDRON, (l0, h0, h3, l1)),
        (far & ~near & ended_near & (k > 1), PYRAMID, (l0, h0, h3, l3, l1)),
        (far & ~near & ~ended_near, PRISM, (h0, l0, l1, h3, l3, l2)),
    )
    for which, shape, nodes in cases:
        rows = np.flatnonzero(which)
        if len(rows):
            yield rows, shape, np.stack([v[rows] for v in nodes], axis=1).astype(np.int32)
