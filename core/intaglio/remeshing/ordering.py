"""Rows of the triangle structure that are gone are dropped, and near nodes put near in memory."""

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.order import hilbert_order
from intaglio.remeshing.reference import Reference
from intaglio.remeshing.surface import POINTS, TRIANGLES, Surface


def packed(s: Surface) -> Surface:
    """Without the rows of triangles that are gone; nodes keep their numbers."""
    m = int(s.tally[TRIANGLES])
    return _rows_moved(s, np.flatnonzero(s.tri[:m, 0] >= 0))


def _rows_moved(s: Surface, rows: NDArray[np.int64]) -> Surface:
    """Only these triangles, in this order."""
    m, k = int(s.tally[TRIANGLES]), len(rows)
    number = np.full(m, -1, np.int32)
    number[rows] = np.arange(k, dtype=np.int32)
    nbr = s.nbr[rows]
    s.nbr[:k] = 4 * number[nbr >> 2] + (nbr & 3)
    for held in (s.tri, s.region, s.curve, s.changed):
        held[:k] = held[rows]
    s.tri[k:m] = -1
    s.curve[k:m] = -1
    s.seen[:m] = 0
    s.tally[TRIANGLES] = k
    s.at[s.tri[:k].ravel()] = np.repeat(np.arange(k, dtype=np.int32), 3)
    return s


def in_order(s: Surface, ref: Reference) -> tuple[Surface, Reference]:
    """Nodes along a Hilbert curve, those that are gone dropped, and triangles along their nodes.

    Later passes then find neighbours near in memory, and a range of nodes is a piece of surface.
    """
    n, m = int(s.tally[POINTS]), int(s.tally[TRIANGLES])
    alive = np.flatnonzero(s.tri[:m, 0] >= 0)
    used = np.zeros(n, np.bool_)
    used[s.tri[alive].ravel()] = True
    nodes = np.flatnonzero(used)
    nodes = nodes[hilbert_order(s.points[nodes])]
    k = len(nodes)
    number = np.full(n, -1, np.int32)
    number[nodes] = np.arange(k, dtype=np.int32)
    for held in (s.points, s.kind, s.owner, s.arc, s.size, s.normal, s.stirred):
        held[:k] = held[nodes]
    s.near[:n] = 0
    s.at[:n] = -1
    s.tally[POINTS] = k
    s.tri[alive] = number[s.tri[alive]]
    rows = alive[np.argsort(s.tri[alive].min(axis=1), kind="stable")]
    return _rows_moved(s, rows), ref._replace(ends=number[ref.ends])
