"""Heights of layers: a first one that grows by a constant factor."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


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


@dataclass(frozen=True)
class Fitted:
    """Layers over nodes as they fit: number (n,) that stand; ends (n, most + 1) at which each ends,
    the last repeated; thinned (n,): the first one's height as a share of what was asked for."""

    number: Ints
    ends: Floats
    thinned: Floats


def fitted(first: Floats, growth: Floats, count: Ints, height: Floats, lowest: float) -> Fitted:
    """Layers (n,) that are no higher in all than height (n,): the outer ones first stop growing,
    down to all being as high as the first; then all get thinner, down to the share `lowest`; then
    there are fewer of them. The inner ones stay as asked for as long as they can, so that beside
    each other they are alike where they are thinnest."""
    most = int(count.max(initial=0))
    layer = np.arange(most)[None, :]
    within = layer < count[:, None]
    step = np.where(within, first[:, None] * growth[:, None] ** np.where(within, layer, 0), 0.0)
    reach = np.cumsum(step, axis=1)
    after = np.maximum(count[:, None] - 1 - layer, 0)
    # height of all, if those after a layer are as high as it is
    flat = reach + after * step
    number = np.where(height > 0, count, 0)
    fits = np.asarray(flat <= height[:, None] * (1 + 1e-12)) & within
    grows = fits.sum(axis=1)
    rows = np.flatnonzero((grows > 0) & (grows < count))
    last = grows[rows] - 1
    cap = (height[rows] - reach[rows, last]) / after[rows, last]
    step[rows] = np.where(
        layer > last[:, None], np.where(within[rows], cap[:, None], 0.0), step[rows]
    )
    even = count * first
    thinned = np.ones(len(first))
    thin = np.flatnonzero((grows == 0) & (count > 0))
    thinned[thin] = np.maximum(lowest, height[thin] / np.maximum(even[thin], 1e-300))
    step[thin] = np.where(within[thin], (thinned * first)[thin, None], 0.0)
    fewer = thin[height[thin] < lowest * even[thin]]
    number[fewer] = np.floor(height[fewer] / np.maximum(lowest * first[fewer], 1e-300) * (1 + 1e-9))
    number = np.minimum(number, count).astype(np.int32)
    step[layer >= number[:, None]] = 0.0
    ends = np.concatenate([np.zeros((len(first), 1)), np.cumsum(step, axis=1)], axis=1)
    return Fitted(number, ends, np.where(number > 0, thinned, 0.0))
