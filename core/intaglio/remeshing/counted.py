"""Nodes of counted edges: put where they were asked for, before the surface is remeshed."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.remeshing.collapsing import TURN, may_collapse
from intaglio.remeshing.reference import on_curve
from intaglio.remeshing.surface import (
    MAX_STAR,
    ON_CURVE,
    POINTS,
    Pull,
    Surface,
    collapse,
    split,
    star,
)
from intaglio.triangles.compiled import FACING
from intaglio.triangles.facets import Curves

# while counted edges are set, no length is too long and no shape too thin
_ANY_LENGTH = 1e9
_ANY_SHAPE = 0.0


def place_counted(
    s: Surface, curves: Curves, counted: Mapping[int, NDArray[np.float64]]
) -> NDArray[np.bool_]:
    """Put the nodes of counted curves at their arc lengths; which curves (c,) are held from now.

    New nodes are put in first, then the old ones pulled into them; a curve on which one of these
    cannot go without folding the surface raises StepFailed.
    """
    held = np.zeros(max(len(curves.ends), 1), np.bool_)
    none = held.copy()
    rows, other = np.empty(MAX_STAR, np.int32), np.empty(MAX_STAR, np.int32)
    spot = np.empty(3)
    for c, at in counted.items():
        length = float(at[-1])
        for arc in at[1:-1]:
            line = _nodes_along(s, curves, c, length)
            size = float(min(np.diff(at)))
            near = min(line, key=lambda node: abs(node[0] - arc))
            on_curve(curves.start, curves.points, curves.arc, c, arc, spot)
            if abs(near[0] - arc) < 1e-6 * size and near not in (line[0], line[-1]):
                s.arc[near[1]] = arc
                s.points[near[1]] = spot
                continue
            k = int(np.searchsorted([a for a, _ in line], arc)) - 1
            t, e = _edge_between(s, line[k][1], line[k + 1][1], c)
            split(s, t, e, spot[0], spot[1], spot[2], ON_CURVE, c, arc, size)
        wanted = at[1:-1]
        for _ in range(4 * len(curves.edge_nodes) + 8):
            line = _nodes_along(s, curves, c, length)
            old = [
                k
                for k in range(1, len(line) - 1)
                if not len(wanted) or np.abs(wanted - line[k][0]).min() > 1e-12 * length
            ]
            if not old:
                break
            done = False
            for k in old:
                for to in (k - 1, k + 1):
                    gone, kept = line[k][1], line[to][1]
                    pull = Pull(*_edge_between(s, gone, kept, c), gone, kept)
                    n = star(s.tri, s.nbr, s.seen, s.at, s.tally, gone, rows)
                    if may_collapse(
                        s, pull, rows, n, other, none, _ANY_LENGTH, _ANY_SHAPE, TURN, FACING
                    ):
                        collapse(s, pull, rows, n)
                        done = True
                        break
                if done:
                    break
            if not done:
                raise StepFailed(
                    "count",
                    f"{len(at) - 1} edges along this curve would fold the surface beside it. "
                    "Ask for more of them.",
                    [s.points[line[old[0]][1]].tolist()],
                )
        held[c] = True
    return held


def _nodes_along(s: Surface, curves: Curves, c: int, length: float) -> list[tuple[float, int]]:
    """(arc, node) along a curve, its ends included."""
    n = int(s.tally[POINTS])
    on = np.flatnonzero((s.kind[:n] == ON_CURVE) & (s.owner[:n] == c) & (s.at[:n] >= 0))
    inner = sorted((float(s.arc[v]), int(v)) for v in on)
    return [(0.0, int(curves.ends[c, 0])), *inner, (length, int(curves.ends[c, 1]))]


def _edge_between(s: Surface, a: int, b: int, c: int) -> tuple[int, int]:
    rows = np.empty(MAX_STAR, np.int32)
    n = star(s.tri, s.nbr, s.seen, s.at, s.tally, a, rows)
    for t in rows[:n]:
        for e in range(3):
            ends = {int(s.tri[t, (e + 1) % 3]), int(s.tri[t, (e + 2) % 3])}
            if ends == {a, b} and s.curve[t, e] == c:
                return int(t), e
    raise AssertionError("the nodes of a curve are joined by its edges")
