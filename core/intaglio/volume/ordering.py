"""Nodes and tetrahedra that are near each other, put near each other in memory."""

import numpy as np

from intaglio.numeric.order import hilbert_order
from intaglio.volume.complex import FREE, N_FREE, N_POINTS, N_TETS, Complex, renumber, set_incidence


def in_order(cx: Complex, first: int) -> Complex:
    """The complex with its nodes from `first` on along a Hilbert curve, and its tetrahedra along
    their nodes, those of no zone last; freed rows are dropped.

    A range of nodes is then a piece of space.
    """
    n, m = int(cx.tally[N_POINTS]), int(cx.tally[N_TETS])
    rank = np.empty(n, np.int32)
    along = hilbert_order(cx.points[:n])
    rank[along] = np.arange(n, dtype=np.int32)
    moved = along[along >= first]
    number = np.arange(n)
    number[moved] = first + np.arange(len(moved))
    rows = np.flatnonzero(cx.tets[:m, 0] != FREE)
    own = cx.tets[rows]
    key = np.where(own >= 0, rank[own], n).min(axis=1)
    key[cx.zone[rows] < 0] += n
    rows = rows[np.argsort(key, kind="stable")]
    k = len(rows)
    row_of = np.full(m, -1, np.int32)
    row_of[rows] = np.arange(k, dtype=np.int32)
    nbr = cx.nbr[rows]
    cx.nbr[:k] = 4 * row_of[nbr >> 2] + (nbr & 3)
    for held in (cx.tets, cx.lock, cx.zone):
        held[:k] = held[rows]
    cx.tets[k:m] = FREE
    cx.seen[:m] = 0
    cx.points[first:n] = cx.points[moved]
    cx.tally[N_TETS], cx.tally[N_FREE] = k, 0
    renumber(cx.tets, k, number)
    set_incidence(cx)
    return cx
