"""Enclosing shapes by their numbers: box, cylinder, sphere, frustum, whole or half."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
AXES = {"x": 0, "y": 1, "z": 2}


@dataclass(frozen=True)
class Enclosure:
    """shape: box, cylinder, sphere or frustum; along: unit vector (3,) of the flow; low, high: box
    around it (for the others the round shape's own box); radius, end_radius: of the round shapes
    ahead and behind; symmetry: axis and place of a plane whose positive side is kept, or None."""

    shape: str
    along: Floats
    low: Floats
    high: Floats
    radius: float
    end_radius: float
    symmetry: tuple[int, float] | None


def enclosing(
    shape: str,
    low: Floats,
    high: Floats,
    along: str,
    distances: dict[str, float],
    symmetry: tuple[str, float] | None,
    widening: float = 1.0,
) -> Enclosure:
    """The enclosure of a body's box low..high.

    along: +x, -x, … the way the flow goes; distances: ahead, behind, aside, above, below in body
    lengths, a length being the box's extent along the flow. widening: of a frustum, its radius
    behind over that ahead.
    """
    axis, sign = AXES[along[1]], 1.0 if along[0] == "+" else -1.0
    up = 2 if axis != 2 else 1
    side = 3 - axis - up
    length = float((high - low)[axis])
    out_low, out_high = low.copy(), high.copy()
    ahead, behind = distances["ahead"] * length, distances["behind"] * length
    if sign < 0:
        ahead, behind = behind, ahead
    out_low[axis] -= ahead
    out_high[axis] += behind
    out_low[side] -= distances["aside"] * length
    out_high[side] += distances["aside"] * length
    out_low[up] -= distances["below"] * length
    out_high[up] += distances["above"] * length
    plane = None
    if symmetry is not None:
        plane = (AXES[symmetry[0]], symmetry[1])
    direction = np.zeros(3)
    direction[axis] = sign
    middle = 0.5 * (low + high)
    if plane is not None:
        middle[plane[0]] = plane[1]
    half = 0.5 * (high - low)
    across = float(np.hypot(half[side], half[up])) + distances["aside"] * length
    if shape == "sphere":
        radius = 0.5 * float(np.linalg.norm(high - low)) + distances["aside"] * length
        out_low, out_high = middle - radius, middle + radius
        return Enclosure(shape, direction, out_low, out_high, radius, radius, plane)
    if shape in ("cylinder", "frustum"):
        for k in (side, up):
            out_low[k], out_high[k] = middle[k] - across, middle[k] + across
        return Enclosure(
            shape,
            direction,
            out_low,
            out_high,
            across,
            across * (widening if shape == "frustum" else 1.0),
            plane,
        )
    if plane is not None:
        k, at = plane
        out_low[k] = at
        out_high[k] = max(out_high[k], at)
    return Enclosure(shape, direction, out_low, out_high, 0.0, 0.0, plane)
