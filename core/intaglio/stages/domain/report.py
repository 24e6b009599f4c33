"""The report of Domain."""

from typing import NotRequired

from typing_extensions import TypedDict

from intaglio.parts.rows import Place
from intaglio.stages.reports import ModelReport


class ZoneRow(TypedDict):
    """A zone: fluid or solid."""

    name: str
    kind: str
    volume: float


class AimRow(TypedDict):
    """What sizes follow from: edges at scale 1 (largest; on a body's walls, or 0), the edge that
    the finest feature asks for, that feature's length and kind; (scale, cells) as forecast."""

    largest: float
    wall: float
    fine: float
    feature: float
    why: str
    scales: list[list[float]]


class DomainReport(ModelReport):
    """The fluid: its zones, a point in it, and the smallest radius of its surface; of a mesh that
    was read, its cells; around a body, the way of the stream."""

    pin: Place
    zones: list[ZoneRow]
    smallest_radius: float | None
    aim: AimRow
    cells: NotRequired[int]
    stream: NotRequired[list[float]]
