"""Boxes around so many cells that follow each other: most need not be looked at for one plane."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from intaglio.numeric.chunks import FEW_SLOW, in_chunks

CELLS = 16


@njit(cache=True, nogil=True)
def _boxes(points, start, nodes, cells, low, high, out):
    for b in range(low, high):
        first, last = b * cells, min((b + 1) * cells, start.shape[0] - 1)
        for i in range(3):
            out[b, i], out[b, 3 + i] = np.inf, -np.inf
        for j in range(start[first], start[last]):
            v = nodes[j]
            for i in range(3):
                x = points[v, i]
                out[b, i] = min(out[b, i], x)
                out[b, 3 + i] = max(out[b, 3 + i], x)


def block_boxes(
    points: NDArray[np.float64], start: NDArray[np.int64], nodes: NDArray[np.int32]
) -> NDArray[np.float64]:
    """Low and high corner (b, 6) of every CELLS cells in their order."""
    out = np.empty((-(-(len(start) - 1) // CELLS), 6))
    in_chunks(
        lambda low, high: _boxes(points, start, nodes, CELLS, low, high, out), len(out), FEW_SLOW
    )
    return out


@njit(cache=True, nogil=True)
def _met(boxes, normal, offset, slack, low, high, out):
    for b in range(low, high):
        middle, half = -offset, slack
        for i in range(3):
            middle += 0.5 * (boxes[b, i] + boxes[b, 3 + i]) * normal[i]
            half += 0.5 * (boxes[b, 3 + i] - boxes[b, i]) * abs(normal[i])
        out[b] = abs(middle) <= half


def met_blocks(
    boxes: NDArray[np.float64], normal: NDArray[np.float64], offset: float
) -> NDArray[np.int64]:
    """Blocks (k,) whose boxes the plane normal · x = offset meets, or comes near by rounding."""
    out = np.empty(len(boxes), bool)
    corners = boxes[:: max(1, len(boxes) // 1000)]
    slack = 1e-9 * (np.abs(corners).max(initial=0.0) * np.abs(normal).sum() + abs(offset))
    in_chunks(lambda low, high: _met(boxes, normal, offset, slack, low, high, out), len(boxes))
    return np.flatnonzero(out)
