"""What the values of a metric come to: worst, mean, spread, percentiles, bars of a histogram."""

from typing import NotRequired

import numpy as np
from typing_extensions import TypedDict

from intaglio.mesh.mesh import Floats
from intaglio.quality.catalogue import METRICS, Metric
from intaglio.quality.values import Values

# bars that a report holds
BINS = 24
# a range this small beside its ends is none
_ALIKE = 1e-12
PERCENTILES = (1, 5, 50, 95, 99)


class Spread(TypedDict):
    """Least, largest and mean value; standard deviation, and values by percentile."""

    min: float
    max: float
    mean: float
    deviation: NotRequired[float]
    percentiles: NotRequired[dict[str, float]]


class Histogram(TypedDict):
    """Counts between edges."""

    edges: list[float]
    count: list[int]


def summary(values: Floats) -> Spread:
    """min, max and mean of values; zeros where there are none."""
    if not len(values):
        return {"min": 0.0, "max": 0.0, "mean": 0.0}
    return {
        "min": float(values.min()),
        "max": float(values.max()),
        "mean": float(values.mean()),
    }


def spread(values: Floats) -> Spread:
    """The summary with standard deviation and PERCENTILES (linear between values)."""
    out = summary(values)
    if len(values):
        out["deviation"] = float(values.std())
        at = np.percentile(values, PERCENTILES)
        out["percentiles"] = {str(p): float(v) for p, v in zip(PERCENTILES, at, strict=True)}
    return out


def quality_summary(values: Values) -> dict[str, Spread]:
    """{metric: spread} of all that the mesh has: metrics of faces over interior faces, others over
    the cells that have them. A metric without any value is left out."""
    out = {}
    for key in values.known():
        samples = values.samples(key)
        if len(samples):
            out[key] = spread(samples)
    return out


def histogram(
    values: Floats, metric: Metric, bars: int = BINS, low: float | None = None,
    high: float | None = None,
) -> Histogram:  # fmt: skip
    """Counts of cells in bars between low and high, by default the least and largest value; of
    equal width, or of equal ratio for a metric that is one and whose values are positive. Values
    beyond are not counted, nor NaN."""
    values = values[np.isfinite(values)]
    if not len(values):
        return {"edges": [0.0, 1.0], "count": [0]}
    low = float(values.min()) if low is None else low
    high = float(values.max()) if high is None else high
    if high - low <= _ALIKE * max(abs(low), abs(high)):
        # values that differ by rounding alone fall into the middle bar
        half = max(abs(low), abs(high), 1e-300) * 1e3 * _ALIKE
        low, high = low - half, high + half
    if metric.ratio and low > 0.0 and high > low:
        edges = np.geomspace(low, high, bars + 1)
        # the ends exactly, whatever the powers round to
        edges[0], edges[-1] = low, high
    else:
        edges = np.histogram_bin_edges(values, bars, (low, high))
    count, _ = np.histogram(values, edges)
    return {"edges": edges.tolist(), "count": count.tolist()}


def histograms(values: Values) -> dict[str, Histogram]:
    """{metric: counts of cells} of all that the mesh has."""
    out = {}
    for metric in METRICS:
        if metric.key in values.known():
            of_cells = values.of_cells(metric.key)
            if not np.isnan(of_cells).all():
                out[metric.key] = histogram(of_cells, metric)
    return out
