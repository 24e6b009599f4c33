"""Heights of layers: a first one that grows by a constant factor."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# no layer is more than so many times as high as the one below
MOST_GROWTH = 3.0
# halvings that find a growth to a relative 1e-12, and to the last bit
_HALVINGS, _ALL_HALVINGS = 40, 60

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


def over_first(growth: Floats, count: Ints) -> Floats:
    """Height of layers (k,) in all over that of the first."""
    near = np.abs(growth - 1.0) < 1e-9
    safe = np.where(near, 2.0, growth)
    return np.where(near, count, (safe**count - 1.0) / (safe - 1.0))


def growths(first: float | Floats, total: Floats, count: Ints) -> tuple[Floats, NDArray[np.bool_]]:
    """The growths (k,) of 1 to MOST_GROWTH at which layers from `first`, or first (k,), on reach
    total (k,), by halving; 1 where even that is too high, and then thinned (k,)."""
    thinned = count * first > total * (1 + 1e-9)
    low, high = np.ones(len(total)), np.full(len(total), MOST_GROWTH)
    for _ in range(_ALL_HALVINGS):
        middle = 0.5 * (low + high)
        over = first * over_first(middle, count) > total
        high = np.where(over, middle, high)
        low = np.where(over, low, middle)
    return np.where(thinned, 1.0, 0.5 * (low + high)), thinned


@dataclass(frozen=True)
class Fitted:
    """Layers over nodes as they fit: number (n,) that stand; ends (n, most + 1) at which each ends,
    the last repeated; thinned (n,): the first one's height as a share of what was asked for."""

    number: Ints
    ends: Floats
    thinned: Floats


def fitted(
    first: Floats,
    growth: Floats,
    count: Ints,
    height: Floats,
    thin: Floats | float = 0.0,
) -> Fitted:
    """Layers (n,) that are no higher in all than height (n,). Those higher than thin (n,) first
    grow slower, down to not at all; then those below stop growing at a height too, down to all
    being as high as the first; then all get thinner. So the thinnest layers stay as asked for as
    long as they can, alike beside each other. Where there is no height there are none."""
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
    short = (grows > 0) & (grows < count)
    # the last layer that is as asked for, and all after it grow slower or are even
    keeps = (within & (step < np.broadcast_to(thin, first.shape)[:, None])).sum(axis=1)
    slow = np.flatnonzero(short & (keeps < grows))
    step[slow] = _slower(step[slow], keeps[slow], growth[slow], height[slow], within[slow])
    rows = np.flatnonzero(short & (keeps >= grows))
    last = grows[rows] - 1
    cap = (height[rows] - reach[rows, last]) / after[rows, last]
    outer = within[rows] & (layer > last[:, None])
    step[rows] = np.where(outer, cap[:, None], step[rows])
    even = count * first
    thinned = np.ones(len(first))
    low = np.flatnonzero((grows == 0) & (count > 0))
    thinned[low] = height[low] / np.maximum(even[low], 1e-300)
    step[low] = np.where(within[low], (thinned * first)[low, None], 0.0)
    number = number.astype(np.int32)
    step[layer >= number[:, None]] = 0.0
    ends = np.concatenate([np.zeros((len(first), 1)), np.cumsum(step, axis=1)], axis=1)
    return Fitted(number, ends, np.where(number > 0, thinned, 0.0))


def _slower(
    step: Floats, keeps: Ints, growth: Floats, height: Floats, within: NDArray[np.bool_]
) -> Floats:
    """Heights (k, most) of layers that reach height (k,): those after the first `keeps` (k,), or
    after the first, grow at a rate of their own, which halving finds."""
    held = np.maximum(keeps - 1, 0)
    layer = np.arange(step.shape[1])[None, :]
    outer = within & (layer > held[:, None])
    base = np.take_along_axis(step, held[:, None], 1)
    left = height - np.where(outer, 0.0, step).sum(axis=1)
    more = outer.sum(axis=1)
    low, high = np.zeros(len(step)), growth - 1.0
    for _ in range(_HALVINGS):
        # the sum of a series whose rate is over 1 by so much, exact near 1 too
        over = 0.5 * (low + high)
        grown = np.expm1(more * np.log1p(over)) / np.maximum(over, 1e-300)
        much = base[:, 0] * (1.0 + over) * grown > left
        high, low = np.where(much, over, high), np.where(much, low, over)
    power = np.where(outer, layer - held[:, None], 0)
    return np.where(outer, base * (1.0 + low)[:, None] ** power, step)
