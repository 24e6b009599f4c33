"""How a result depends on the grid: observed order, value without a grid, convergence index.

P. J. Roache, Perspective: A Method for Uniform Reporting of Grid Refinement Studies, ASME J. Fluids
Eng. 116 (1994) 405, with refinements that differ from grid to grid after I. B. Celik et al., ibid.
130 (2008) 078001.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Any

from typing_extensions import TypedDict

# of three grids (Roache); an observed order is looked for up to this one
_SAFETY, _HIGHEST = 1.25, 10.0
# differences below this share of the value are none
_SAME = 1e-9


class Observed(TypedDict):
    """Order, extrapolated value and convergence index (a share of the finest value) of the three
    finest grids, None where they do not tell them; and what is to be said of it."""

    order: float | None
    extrapolated: float | None
    index: float | None
    words: str


class ConvergenceRow(Observed):
    """One quantity over grids from the finest to the coarsest: key, words, unit, its value on
    each."""

    key: str
    label: str
    unit: str
    values: list[float | None]


class ConvergenceTable(TypedDict):
    """Grids from the finest to the coarsest: variants, their names, cells, edge of a cube that
    holds a mean cell over that of the finest; and a row for each quantity."""

    variants: list[int]
    names: list[str]
    cells: list[int]
    sizes: list[float]
    rows: list[ConvergenceRow]


_QUANTITIES = (
    ("mean_pressure", "mean pressure", "Pa"),
    ("flow_rate", "flow out", "m³/s"),
    ("force", "force", "N"),
    ("heat", "heat", "W"),
    ("mean_temperature", "mean temperature", "K"),
)


def convergence_table(proofs: Sequence[tuple[int, str, Mapping[str, Any]]]) -> ConvergenceTable:
    """The table of variants (number, name, report of the proof)."""
    order = sorted(proofs, key=lambda p: -p[2]["cells"])
    cells = [int(p[2]["cells"]) for p in order]
    sizes = [(cells[0] / c) ** (1.0 / 3.0) for c in cells]
    rows: list[ConvergenceRow] = []
    patches = order[0][2]["patches"] if order else {}
    # where something flows comes first
    for name, own in sorted(patches.items(), key=lambda p: not p[1].get("flow_rate")):
        for key, label, unit in _QUANTITIES:
            if key not in own:
                continue
            values = [_value(p[2]["patches"].get(name, {}).get(key)) for p in order]
            # what a case holds says nothing of the grid, and neither does what there is none of
            known = [v for v in values if v is not None]
            if max(map(abs, known), default=0.0) <= 0 or (len(known) > 1 and _held(known)):
                continue
            row = observed([s for s, v in zip(sizes, values, strict=True) if v is not None], known)
            rows.append({
                "key": f"{name} {key}", "label": f"{label}, {name}", "unit": unit,
                "values": values, **row,
            })  # fmt: skip
    return {
        "variants": [p[0] for p in order],
        "names": [p[1] for p in order],
        "cells": cells,
        "sizes": sizes,
        "rows": rows,
    }


def _value(told: Any) -> float | None:
    if told is None:
        return None
    return math.hypot(*told) if isinstance(told, list) else float(told)


def _held(values: list[float]) -> bool:
    return max(values) - min(values) <= _SAME * max(map(abs, values))


def observed(sizes: Sequence[float], values: Sequence[float]) -> Observed:
    """Order, extrapolated value, index and words for values on grids of these sizes, the finest
    first; of the three finest."""
    if len(values) < 3:
        return _told("Three grids tell an order.")
    (h1, h2, h3), (f1, f2, f3) = sizes[:3], values[:3]
    if not h1 < h2 < h3:
        return _told("Grids of the same size tell no order.")
    near, far = f2 - f1, f3 - f2
    least = _SAME * max(abs(f1), abs(f2), abs(f3))
    if abs(near) <= least:
        return _told("The two finest grids agree.", None, f1, 0.0)
    if far * near <= 0:
        return _told("It goes to and fro from grid to grid: no order is told.")
    p = _order(h2 / h1, h3 / h2, far / near)
    if p is None:
        return _told("It does not settle from grid to grid: take finer ones.")
    gain = (h2 / h1) ** p - 1.0
    index = _SAFETY * abs(near / f1) / gain if f1 != 0 else None
    return _told("", p, f1 - near / gain, index)


def _told(
    words: str,
    order: float | None = None,
    extrapolated: float | None = None,
    index: float | None = None,
) -> Observed:
    return {"order": order, "extrapolated": extrapolated, "index": index, "words": words}


def _order(fine: float, coarse: float, ratio: float) -> float | None:
    """The order p for which differences behave as (coarse^p − 1) fine^p / (fine^p − 1) = ratio;
    None where none over nothing does."""

    def off(p: float) -> float:
        return fine**p * (coarse**p - 1.0) / (fine**p - 1.0) - ratio

    low, high = 1e-6, _HIGHEST
    if off(low) >= 0 or off(high) <= 0:
        return None
    for _ in range(200):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if off(middle) < 0 else (low, middle)
    return 0.5 * (low + high)
