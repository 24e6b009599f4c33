"""The settings of Sizing, and those derived from the model."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import blank, significant
from intaglio.stages.sizing.rows import REGIONS, SIZES

Report = Mapping[str, Any]

_CELLS = 250_000

_THIN_CELLS = 1_500_000


@dataclass(frozen=True)
class Sizing:
    smallest: float = blank(
        "length",
        "smallest edge",
        "Small enough for the features that matter; nothing gets finer.",
        1.0,
        unit="{unit}",
        above=0.0,
    )
    largest: float = blank(
        "length", "largest edge", "Under a tenth of the passage.", 10.0, unit="{unit}", above=0.0
    )
    angle: float = blank(
        "angle",
        "turn per edge",
        "18° gives 20 edges around a circle; 10° is fine, 30° is coarse.",
        18.0,
        unit="°",
        least=2.0,
        most=60.0,
    )
    growth: float = blank(
        "number",
        "growth",
        "About 1.2; 1.05 is fine and expensive, above 1.4 rarely.",
        1.2,
        above=1.0,
        most=2.0,
    )
    gap_cells: float = blank(
        "number",
        "cells across a gap",
        "Two at the least, so that no cell spans a gap; 0 for none.",
        2.0,
        least=0.0,
        most=20.0,
    )
    sizes: list[Any] = blank(
        "sizes",
        "sizes of patches and edges",
        "Where one patch or edge matters more than its shape tells: a throat, a trailing edge.",
        [],
        rows=SIZES,
    )
    regions: list[Any] = blank(
        "regions",
        "refinement regions",
        "Where the flow needs finer cells away from walls: a wake, a jet, a mixing layer.",
        [],
        rows=REGIONS,
    )

    def __post_init__(self) -> None:
        if self.smallest > self.largest:
            raise SettingRejected(
                "sizing.smallest",
                f"The smallest edge {self.smallest:g} is larger than the largest "
                f"{self.largest:g}. Lower it, or raise the largest.",
            )


def sizing_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Largest edge a tenth of the passage width 4V/A; smallest by the tightest radius."""
    volume, area, unit = domain["volume"], domain["area"], domain["unit"]
    passage = 4.0 * volume / area
    largest = passage / 10.0
    why_largest = f"A tenth of the passage width 4V/A = {passage:.3g} {unit}."
    ceiling = (10.5 * volume / _CELLS) ** (1 / 3)
    if ceiling > largest:
        largest = ceiling
        why_largest = f"So large that the fluid takes about {_CELLS:,} cells."
    largest = significant(largest)
    radius = domain["smallest_radius"]
    smallest = largest / 4
    why_smallest = f"A quarter of the largest edge; nothing curves more tightly than {largest:g}."
    if radius and radius < 4 * largest:
        wanted = 2 * radius * float(np.sin(np.radians(9.0)))
        smallest = min(max(wanted, largest / 6), largest / 2)
        why_smallest = f"Follows the tightest radius, {radius:.3g} {unit}, within reason."
    else:
        why_smallest = "A quarter of the largest edge; no tight curves were found."
    gap_cells, why_gap = 2.0, "Keeps every narrow place at least two cells wide."
    across = 10.5 * volume / (volume / area) ** 3
    if across > _THIN_CELLS:
        gap_cells = 0.0
        why_gap = (
            f"The fluid is as thin as a sheet: two cells across it would take {across:.1g} cells."
        )
    return (
        {
            "smallest": significant(smallest),
            "largest": largest,
            "angle": 18.0,
            "growth": 1.2,
            "gap_cells": gap_cells,
            "sizes": [],
            "regions": [],
        },
        {
            "smallest": why_smallest,
            "largest": why_largest,
            "angle": "Twenty edges around a full circle.",
            "growth": "The usual rate for internal flow.",
            "gap_cells": why_gap,
            "sizes": "None: curvature and gaps decide.",
            "regions": "None yet.",
        },
    )
