"""The settings of Sizing."""

from dataclasses import dataclass
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.settings.blanks import blank
from intaglio.sizing.aiming import USUAL_CELLS
from intaglio.stages.sizing.rows import REGION_ROWS, SIZE_ROWS

# edges under this share of the model's diagonal are refused
FINEST_SHARE = 1e-5


@dataclass(frozen=True)
class Sizing:
    cells: int = blank(
        "integer",
        "cells to aim at",
        "300,000 show whether a set-up works; a few million where the result counts.",
        USUAL_CELLS,
        least=1000,
        most=100_000_000,
    )
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
    wall: float = blank(
        "length",
        "largest edge on the walls of a body",
        "A twentieth of the body, in a stream; 0 for no limit of its own.",
        0.0,
        unit="{unit}",
        least=0.0,
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
    walk_over: float = blank(
        "angle",
        "seam",
        "5° walks over the seams between faces that run on; 0 keeps every edge.",
        5.0,
        unit="°",
        least=0.0,
        most=40.0,
    )
    sizes: list[Any] = blank(
        "sizes",
        "sizes of patches and edges",
        "Where one patch or edge matters more than its shape tells: a throat, a trailing edge.",
        [],
        rows=SIZE_ROWS,
    )
    regions: list[Any] = blank(
        "regions",
        "refinement regions",
        "Where the flow needs finer cells away from walls: a wake, a jet, a mixing layer.",
        [],
        rows=REGION_ROWS,
    )

    def __post_init__(self) -> None:
        if self.smallest > self.largest:
            raise SettingRejected(
                "sizing.smallest",
                f"The smallest edge {self.smallest:g} is larger than the largest "
                f"{self.largest:g}. Lower it, or raise the largest.",
            )
