"""What is told of a proof."""

from typing import Any

from typing_extensions import TypedDict

from intaglio.findings import FindingRow


class ResidualRows(TypedDict):
    """Of every iteration what was left of momentum (x, y, z) and mass."""

    momentum: list[list[float]]
    mass: list[float]


class MonitorRows(TypedDict):
    """Of every iteration of this run a patch's flow out in m³/s and mean pressure in Pa."""

    flow_rate: list[float]
    mean_pressure: list[float]


class EvidenceRow(TypedDict):
    """A piece of evidence: whether it speaks for the mesh (None: neither), in words."""

    holds: bool | None
    words: str


class FieldRow(TypedDict):
    """A field to colour by: key, words, unit, whether cells or the boundary have it, least and
    largest value."""

    key: str
    label: str
    unit: str
    of: str
    low: float
    high: float


class ProofReport(TypedDict):
    """A flow computed from what was handed over.

    case, mesh: keys of the hand-over and of Volume; asked: iterations of the last run; verdict:
    `proven`, `falling`, `failed` or, while it runs, `running`; patches: results by patch as
    `intaglio flow` tells them.
    """

    case: str
    mesh: str
    unit: str
    cells: int
    iterations: int
    asked: int
    converged: bool
    stopped: bool
    residuals: ResidualRows
    monitors: dict[str, MonitorRows]
    mass_imbalance: float
    heat_imbalance: float | None
    fastest: float
    patches: dict[str, Any]
    fields: list[FieldRow]
    verdict: str
    sentence: str
    evidence: list[EvidenceRow]
    findings: list[FindingRow]
