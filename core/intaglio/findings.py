"""Findings: problems in words, with place, cause and repair. Every part of the core makes them."""

from dataclasses import asdict, dataclass, field
from typing import Any, Literal, NotRequired, cast

from typing_extensions import TypedDict

Level = Literal["error", "caution", "note"]


class Offer(TypedDict):
    """A repair offered with a finding: its label, and the operation {do, settings …}."""

    label: str
    operation: dict[str, Any]


class MeasureHistogram(TypedDict):
    """Counts of a measure between edges."""

    edges: list[float]
    count: list[int]


class FindingRow(TypedDict):
    """A `Finding` as plain data."""

    code: str
    level: Level
    message: str
    count: int
    places: list[list[float]]
    advice: str
    size: float
    measure: str
    cause: str
    faces: list[str]
    repairs: list[Offer]
    histogram: MeasureHistogram | None
    # why it was let stand, once somebody has said so
    accepted: NotRequired[str]


# places told with one finding
PLACES = 20


@dataclass(frozen=True)
class Finding:
    """A problem in words: code, what happened, how many, at which places, what to do.

    level is `error` (the result must not be used), `caution` or `note`. size is the largest
    measure of the problem and measure says of what, with its unit; cause is the probable one;
    faces are names of faces that have to do with it; repairs are offered operations, as
    {label, operation}; histogram is {edges, count} of the measure.
    """

    code: str
    level: Level
    message: str
    count: int = 1
    places: list[list[float]] = field(default_factory=list)
    advice: str = ""
    size: float = 0.0
    measure: str = ""
    cause: str = ""
    faces: list[str] = field(default_factory=list)
    repairs: list[dict[str, Any]] = field(default_factory=list)
    histogram: dict[str, Any] | None = None

    def as_dict(self) -> FindingRow:
        """The finding as plain data."""
        return cast(FindingRow, asdict(self))


def offer(label: str, do: str, **settings: Any) -> dict[str, Any]:
    """A repair offered with a finding."""
    return {"label": label, "operation": {"do": do, **settings}}


def two_digits(value: float) -> float:
    return float(f"{value:.2g}")
