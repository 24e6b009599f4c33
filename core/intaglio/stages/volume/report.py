"""The report of Volume."""

from typing import NotRequired

from intaglio.quality.limits import Verdict
from intaglio.quality.report import MeshZoneRow
from intaglio.quality.statistics import Histogram, Spread
from intaglio.quality.worst import Tail
from intaglio.stages.reports import StageReport


class VolumeReport(StageReport):
    """The mesh: counts, zones, quality; splits and swaps that recovering the surface took.

    layer_cells: those that lie in layers; worst: the worst end of each metric; verdict: how the
    mesh stands to the limits. Products of version 0.3 do not tell these, nor the cells by shape,
    nor the faces.
    """

    unit: str
    cells: int
    points: int
    cells_by_shape: NotRequired[dict[str, int]]
    faces: NotRequired[list[str]]
    volume: float
    zones: dict[str, MeshZoneRow]
    quality: dict[str, Spread]
    histograms: dict[str, Histogram]
    splits: int
    swaps: int
    layer_cells: NotRequired[int]
    worst: NotRequired[dict[str, Tail]]
    verdict: NotRequired[Verdict]
