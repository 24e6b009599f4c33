"""The report of Geometry."""

from intaglio.parts.rows import BodyRow, FeatureRow, OpeningRow, Place, RepairRow, SpaceRow
from intaglio.stages.reports import ModelReport


class GeometryReport(ModelReport):
    """What was read, what was done to it, and what is there.

    closed: None while faults are still looked for. Until then openings, spaces and features are
    empty, findings those found so far, and `inside` is the middle; in the first of such reports
    bodies and links are empty too, and volume, areas and centres those of what is drawn.
    """

    file: str
    unit_known: bool
    closed: bool | None
    triangles: int | None
    bodies: list[BodyRow]
    openings: list[OpeningRow]
    spaces: list[SpaceRow]
    features: list[FeatureRow]
    inside: Place
    log: list[RepairRow]
