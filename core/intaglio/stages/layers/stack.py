"""The stack of layers at one place of a wall, with its heights against those asked for."""

import numpy as np
from numpy.typing import NDArray
from typing_extensions import TypedDict

from intaglio.layers.heights import Heights, reached
from intaglio.numeric.boxtree import box_tree, nearest
from intaglio.parts.model import Product


class StackReport(TypedDict):
    """at: the place, on the wall; number: layers that stand over all of the triangle there, and
    most: over some of its nodes; reached, asked: heights over the wall at which each layer ends,
    the wall first, as it is and as asked for; edge: the triangle's mean edge."""

    at: list[float]
    number: int
    most: int
    reached: list[float]
    asked: list[float]
    edge: float


def stack_at(layers: Product, face: int, at: NDArray[np.float64]) -> StackReport | None:
    """The stack over the triangle of a face that lies nearest to `at` (3,); None where no layers
    are asked for. layers: the product of the stage."""
    a = layers.arrays
    if "display_corners" not in a or not (a["display_region"] == face).any():
        return None
    own = np.flatnonzero(a["display_region"] == face)
    points = a["display_points"].astype(np.float64)
    triangles = np.ascontiguousarray(a["display_triangles"][own])
    foot = np.empty(3)
    hit = int(nearest(box_tree(points, triangles), 0, np.asarray(at, np.float64), foot))
    zone = int(a["display_zone"][own[hit]])
    if zone < 0:
        return None
    nodes = a["display_corners"][own[hit]]
    count, first, growth, number, ends, height = (
        a[f"{name}_{zone}"][nodes]
        for name in ("count", "first", "growth", "number", "ends", "height")
    )
    if not count.any():
        return None
    # along slanted columns ends are farther than they are high
    along = np.where(ends[:, -1] > 0, ends[:, -1], 1.0)
    made = (ends * (height / along)[:, None]).mean(axis=0)
    most = int(number.max())
    asked = reached(Heights(float(first.mean()), float(growth.mean()), int(count.max())))
    p = points[triangles[hit]]
    return {
        "at": foot.round(12).tolist(),
        "number": int(number.min()),
        "most": most,
        "reached": made[: most + 1].tolist(),
        "asked": asked.tolist(),
        "edge": float(np.linalg.norm(p - np.roll(p, 1, axis=0), axis=1).mean()),
    }
