"""Heights of layers: a first one that grows by a constant factor."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Heights:
    """count layers, the first `first` units high, each `growth` times the one below."""

    first: float
    growth: float
    count: int


def reached(heights: Heights) -> Floats:
    """Height above the wall (count + 1,) at which each layer ends, 0 first."""
    return np.concatenate(
        [[0.0], np.cumsum(heights.first * heights.growth ** np.arange(heights.count))]
    )


def total(heights: Heights) -> float:
    """Height of all layers together."""
    return float(reached(heights)[-1])


def last(heights: Heights) -> float:
    """Height of the last layer."""
    return heights.first * heights.growth ** (heights.count - 1)


def of_total(thickness: float, growth: float, count: int) -> Heights:
    """The layers that are `thickness` high in all."""
    return Heights(thickness / total(Heights(1.0, growth, count)), growth, count)


def of_last(height: float, growth: float, count: int) -> Heights:
    """The layers of which the last is `height` high."""
    return Heights(height / growth ** (count - 1), growth, count)


def growth_between(first: float, thickness: float, count: int) -> float:
    """The growth at which `count` layers from `first` reach `thickness`. Raises ValueError where
    that needs a growth under 1 or over 10."""
    if count * first > thickness * (1 + 1e-12) or count < 1:
        raise ValueError("the layers would have to get thinner outward")

    def short(growth: float) -> float:
        return total(Heights(first, growth, count)) - thickness

    if abs(short(1.0)) <= 1e-12 * thickness:
        return 1.0
    if short(10.0) < 0:
        raise ValueError("no growth under 10 reaches this thickness")
    return float(brentq(short, 1.0, 10.0, xtol=1e-14))
