"""A fluid so viscous that its flow is laminar, to try a mesh whose case is turbulent."""

import numpy as np

from intaglio.flow.conditions import PRESSURE, RATE, TOTAL, Conditions
from intaglio.flow.geometry import Volumes
from intaglio.flow.momentum import Fluid

# Reynolds number on four volumes over the surface that such a flow has at the most
LAMINAR = 100.0


def times_thicker(volumes: Volumes, held: Conditions, fluid: Fluid) -> float:
    """By how much the viscosity is to grow so that the flow is laminar; 1 if it is so already."""
    r = volumes.rim
    size = np.linalg.norm(r.area, axis=1)
    length = 4.0 * float(volumes.volume.sum()) / float(size.sum())
    speed = fastest(volumes, held, fluid)
    number = speed * length * float((fluid.density / fluid.viscosity).max())
    return max(1.0, number / LAMINAR)


def fastest(volumes: Volumes, held: Conditions, fluid: Fluid) -> float:
    """The largest speed in m/s that the conditions tell: one that is given, the mean one of a given
    flow, or what a difference of pressures drives without friction (Bernoulli)."""
    r = volumes.rim
    speed = float(np.linalg.norm(held.velocity, axis=1).max(initial=0.0))
    for patch in np.unique(held.patch[held.kind == RATE]):
        at = held.patch == patch
        area = np.linalg.norm(r.area[at], axis=1)
        mass = float((fluid.density[r.cell[at]] * area).sum())
        speed = max(speed, abs(float(held.rate[at][0])) / mass)
    driven = held.pressure[(held.kind == PRESSURE) | (held.kind == TOTAL)]
    if len(driven):
        step = float(np.ptp(driven))
        speed = max(speed, (2.0 * step / float(fluid.density.min())) ** 0.5)
    return speed
