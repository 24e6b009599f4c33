"""The report of Sizing."""

from typing_extensions import TypedDict

from intaglio.parts.rows import Place
from intaglio.quality.statistics import Spread
from intaglio.stages.reports import StageReport


class ForecastRow(TypedDict):
    """Expected triangles, cells, bytes and seconds."""

    triangles: int
    cells: int
    memory: int
    seconds: float


class SizingReport(StageReport):
    """Edge lengths on the surface, what they come to, and where counted edges get their ends."""

    unit: str
    edge: Spread
    forecast: ForecastRow
    counted: list[Place]
    # the two faces, by number, at each edge that is walked over where they are of one patch
    seams: list[list[int]]
