"""The report of Geometry."""

from intaglio.parts.rows import BodyRow, FeatureRow, OpeningRow, Place, RepairRow, SpaceRow
from intaglio.stages.reports import ModelReport


class GeometryReport(ModelReport):
    """What was read, what was done to it, and what is there."""

    file: str
    unit_known: bool
    closed: bool
    triangles: int | None
    bodies: list[BodyRow]
    openings: list[OpeningRow]
    spaces: list[SpaceRow]
    features: list[FeatureRow]
    inside: Place
    log: list[RepairRow]
