"""Heights of layers: a first one that grows by a constant factor."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

# growths at which the height of layers is tabled, to find the one that fits
_TABLED = 400


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


@dataclass(frozen=True)
class Fitted:
    """Layers over nodes as they fit: number (n,) that stand; ends (n, most + 1) at which each ends,
    the last repeated; thinned (n,): the first one's height as a share of what was asked for."""

    number: Ints
    ends: Floats
    thinned: Floats


def fitted(first: Floats, growth: Floats, count: Ints, height: Floats, lowest: float) -> Fitted:
    """Layers (n,) that are no higher in all than height (n,): they first grow slower, down to not
    at all, with the first as high as asked for; then all get thinner, down to the share `lowest`;
    then there are fewer of them."""
    most = int(count.max(initial=0))
    even = count * first
    number = np.where(height > 0, count, 0)
    thinned = np.ones(len(first))
    rate = growth.copy()
    for k in np.unique(count[count > 0]).tolist():
        own = np.flatnonzero(count == k)
        # height over the first, by growth
        table = np.linspace(1.0, float(growth[own].max()), _TABLED)
        over = np.stack([_sum(float(g), k) for g in table])
        asked = first[own] * np.interp(growth[own], table, over)
        short = height[own] < asked * (1 - 1e-12)
        some = own[short]
        rate[some] = np.interp(height[some] / first[some], over, table)
    thin = height < even * (1 - 1e-12)
    thinned[thin] = np.maximum(lowest, height[thin] / np.maximum(even[thin], 1e-300))
    rate[thin] = 1.0
    fewer = np.flatnonzero(thin & (height < lowest * even))
    steps = lowest * first[fewer]
    number[fewer] = np.floor(height[fewer] / np.maximum(steps, 1e-300) * (1 + 1e-9))
    number = np.minimum(number, count).astype(np.int32)
    layer = np.arange(most)[None, :]
    step = np.where(
        layer < number[:, None], (thinned * first)[:, None] * rate[:, None] ** layer, 0.0
    )
    ends = np.concatenate([np.zeros((len(first), 1)), np.cumsum(step, axis=1)], axis=1)
    return Fitted(number, ends, np.where(number > 0, thinned, 0.0))


def _sum(growth: float, count: int) -> float:
    """Height of layers over that of the first."""
    return float((growth ** np.arange(count)).sum())
