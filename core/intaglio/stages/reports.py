"""What the reports of several stages hold in common. The page's types are generated from these.

A report is plain data: it is stored as JSON, and read by later stages, the page and the command
line. Lengths are in the study's unit.
"""

from typing import NotRequired

from typing_extensions import TypedDict

from intaglio.findings import FindingRow
from intaglio.parts.rows import FaceRow, ModelNames, Place


class StepRow(TypedDict):
    """Timing of the step: name of the stage, wall seconds, peak memory in MB."""

    name: str
    seconds: float
    peak_mb: float


class StageReport(TypedDict):
    """What every report holds; step is added when the stage has run."""

    findings: list[FindingRow]
    step: NotRequired[StepRow]


class ModelReport(StageReport):
    """A model as a whole, and face by face; links: [face, face, degrees] of neighbours."""

    unit: str
    model: ModelNames
    low: Place
    high: Place
    size: Place
    volume: float
    area: float
    faces: list[FaceRow]
    links: list[list[float]]
