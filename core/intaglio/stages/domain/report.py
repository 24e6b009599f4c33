"""The report of Domain."""

from typing_extensions import TypedDict

from intaglio.parts.rows import Place
from intaglio.stages.reports import ModelReport


class ZoneRow(TypedDict):
    """A zone: fluid or solid."""

    name: str
    kind: str
    volume: float


class DomainReport(ModelReport):
    """The fluid: its zones, a point in it, and the smallest radius of its surface."""

    pin: Place
    zones: list[ZoneRow]
    smallest_radius: float | None
