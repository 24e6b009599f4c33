"""Meshes side by side: their figures in rows, what differs marked, and histograms over one axis."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from typing_extensions import TypedDict

from intaglio.mesh.mesh import Floats
from intaglio.quality.catalogue import METRICS, Metric
from intaglio.quality.statistics import BINS, histogram

# figures that differ by less than this share are the same
_SAME = 1e-9


class Row(TypedDict):
    """A figure of each mesh, None where it has none; group: what it belongs to; differs: whether
    they are not all the same; best: the index of the best, where one is better and they differ."""

    group: str
    key: str
    label: str
    unit: str
    values: list[Any]
    differs: bool
    best: int | None


class SharedHistogram(TypedDict):
    """Counts and shares of each mesh's cells between the same edges."""

    edges: list[float]
    counts: list[list[int]]
    shares: list[list[float]]


def row(
    group: str, key: str, label: str, unit: str, values: Sequence[Any],
    large_is_bad: bool | None = None,
) -> Row:  # fmt: skip
    """A row of figures; large_is_bad: None where none is better than another."""
    held = list(values)
    differs = any(not _same(held[0], v) for v in held[1:])
    best = None
    if differs and large_is_bad is not None and all(v is not None for v in held):
        best = int(np.argmin(held) if large_is_bad else np.argmax(held))
        if sum(_same(held[best], v) for v in held) > 1:
            best = None
    return {
        "group": group, "key": key, "label": label, "unit": unit, "values": held,
        "differs": differs, "best": best,
    }  # fmt: skip


def _same(one: Any, other: Any) -> bool:
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= _SAME * max(abs(one), abs(other))
    return bool(one == other)


def compared(reports: Sequence[dict[str, Any]]) -> list[Row]:
    """Rows of the figures of two or more reports: counts, zones, patches, metrics, verdict."""
    unit = reports[0]["unit"]
    out = [
        row("mesh", "cells", "Cells", "", [r["cells"] for r in reports]),
        row("mesh", "points", "Points", "", [r["points"] for r in reports]),
    ]
    for shape in _union(r.get("cells_by_shape", {}) for r in reports):
        counts = [r.get("cells_by_shape", {}).get(shape, 0) for r in reports]
        out.append(row("mesh", f"shape.{shape}", f"{shape.capitalize()} cells", "", counts))
    for zone in _union(r["zones"] for r in reports):
        volumes = [r["zones"].get(zone, {}).get("volume") for r in reports]
        out.append(row("zones", f"zone.{zone}", f"Volume of {zone}", f"{unit}³", volumes))
    for patch in _union(r.get("patches", {}) for r in reports):
        areas = [r.get("patches", {}).get(patch, {}).get("area") for r in reports]
        out.append(row("patches", f"patch.{patch}", f"Area of {patch}", f"{unit}²", areas))
    for metric in METRICS:
        told = [r["quality"].get(metric.key) for r in reports]
        if all(t is None for t in told):
            continue
        words = metric.unit.replace("unit", unit)
        ends = [("worst", "max" if metric.large_is_bad else "min"), ("mean", "mean")]
        for name, end in ends:
            values = [None if t is None else t[end] for t in told]
            label = f"{metric.label}, {name}" if metric.judged else f"{metric.label}, {end}"
            bad = metric.large_is_bad if metric.judged else None
            out.append(row("quality", f"{metric.key}.{name}", label, words, values, bad))
    verdicts = [r.get("verdict") for r in reports]
    if any(verdicts):
        passed = [None if v is None else v["passed"] for v in verdicts]
        out.append(row("quality", "passed", "Within the limits", "", passed))
    return out


def _union(groups: Any) -> list[str]:
    """Keys of all groups, in the order in which they come first."""
    return list(dict.fromkeys(key for group in groups for key in group))


def shared_histograms(
    values: Sequence[Floats], metric: Metric, bars: int = BINS
) -> SharedHistogram:
    """Histograms of several meshes' cells between the least and the largest value of all."""
    finite = [v[np.isfinite(v)] for v in values]
    held = [v for v in finite if len(v)]
    low = min((float(v.min()) for v in held), default=0.0)
    high = max((float(v.max()) for v in held), default=1.0)
    each = [histogram(v, metric, bars, low, high) if len(v) else None for v in finite]
    edges = next((h["edges"] for h in each if h is not None), [low, high])
    counts = [h["count"] if h is not None else [0] * (len(edges) - 1) for h in each]
    shares = [
        [n / len(v) if len(v) else 0.0 for n in row] for row, v in zip(counts, finite, strict=True)
    ]
    return {"edges": edges, "counts": counts, "shares": shares}
