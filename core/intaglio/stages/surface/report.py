"""The report of Surface."""

from typing import NotRequired

from intaglio.quality.limits import Verdict
from intaglio.quality.statistics import Histogram, Spread
from intaglio.quality.worst import Tail
from intaglio.stages.reports import StageReport


class SurfaceReport(StageReport):
    """The surface mesh: its counts, what it encloses against the geometry, angles and lengths;
    how often it was meshed, and at how many places edges were lowered for it."""

    unit: str
    triangles: int
    points: int
    volume: float
    zone_volumes: list[float]
    volume_error: float
    quality: dict[str, Spread]
    histograms: NotRequired[dict[str, Histogram]]
    worst: NotRequired[dict[str, Tail]]
    verdict: NotRequired[Verdict]
    rounds: int
    mended: int
