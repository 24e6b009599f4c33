"""Limits that a mesh is judged by: named sets of them, own ones, and the verdict.

A report holds the spread of every metric and the worst 200 values of each, so that a verdict needs
no mesh: limits can be changed without computing anything again.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from typing_extensions import TypedDict

from intaglio.findings import PLACES, Finding
from intaglio.mesh.in_unit import factor
from intaglio.quality.catalogue import METRICS, Metric
from intaglio.quality.triangles import SURFACE_METRICS
from intaglio.quality.worst import TOLD
from intaglio.settings.blanks import Blank, Rows
from intaglio.settings.forms import Field, Form, Forms, rows_of


@dataclass(frozen=True)
class Limit:
    """The worst value of a metric that is let pass."""

    metric: str
    value: float


@dataclass(frozen=True)
class Judge:
    """What is judged: the metrics of cells, or of a surface's triangles; its named sets of limits,
    and what to do about one that is not kept."""

    things: str
    metrics: tuple[Metric, ...]
    sets: dict[str, tuple[Limit, ...]]
    advice: dict[str, str]
    advice_else: str
    by_key: dict[str, Metric] = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "by_key", {m.key: m for m in self.metrics})


# general: what solvers of second order cope with; strict: what they are quick and exact with
SETS: dict[str, tuple[Limit, ...]] = {
    "general": (
        Limit("equiangle_skewness", 0.95),
        Limit("non_orthogonality", 80.0),
        Limit("smallest_dihedral", 8.0),
        Limit("largest_dihedral", 170.0),
        Limit("scaled_jacobian", 0.05),
        Limit("warp", 40.0),
    ),
    "strict": (
        Limit("equiangle_skewness", 0.85),
        Limit("non_orthogonality", 70.0),
        Limit("face_orthogonality", 0.15),
        Limit("smallest_dihedral", 12.0),
        Limit("largest_dihedral", 160.0),
        Limit("scaled_jacobian", 0.2),
        Limit("warp", 20.0),
    ),
}
# triangles that cells can stand on which keep the limits of cells
SURFACE_SETS: dict[str, tuple[Limit, ...]] = {
    "general": (
        Limit("smallest_angle", 10.0),
        Limit("largest_angle", 155.0),
        Limit("aspect_ratio", 6.0),
        Limit("deviation", 0.2),
    ),
    "strict": (
        Limit("smallest_angle", 20.0),
        Limit("largest_angle", 130.0),
        Limit("aspect_ratio", 3.0),
        Limit("edge_ratio", 2.0),
        Limit("deviation", 0.1),
    ),
}
SET_WORDS = (("general", "the general"), ("strict", "the strict"), ("own", "my own"))


class LimitRow(TypedDict):
    """How a mesh stands to a limit: the worst value, how many cells are beyond (at least so many,
    if `more`), and whether none is."""

    metric: str
    limit: float
    worst: float
    beyond: int
    more: bool
    passed: bool


class Verdict(TypedDict):
    """How a mesh stands to a set of limits."""

    limits: str
    passed: bool
    rows: list[LimitRow]


def _forms(judge: Judge) -> Forms:
    """Rows {of, value} of limits of one's own."""
    metrics = tuple((m.key, m.label) for m in judge.metrics)
    return Forms(
        "Limits",
        (Form("", ""),),
        (
            Field("of", Blank("choice", "metric", "", choices=metrics)),
            Field("value", Blank("number", "limit", "")),
        ),
        unique="of",
    )


def limits_of(name: str, own: list[dict[str, Any]], judge: Judge) -> tuple[Limit, ...]:
    """The limits of a named set, or one's own."""
    if name == "own":
        return tuple(Limit(row["of"], row["value"]) for row in own)
    return judge.sets[name]


def strict_rows(judge: Judge) -> list[dict[str, Any]]:
    """The strict set as rows of limits of one's own."""
    return [{"of": limit.metric, "value": limit.value} for limit in judge.sets["strict"]]


def verdict(
    report: Mapping[str, Any], name: str, own: list[dict[str, Any]], judge: Judge
) -> Verdict:
    """How the mesh of a report (quality, worst) stands to limits; those of metrics that it does not
    tell, as of products of earlier versions, are left out."""
    out: list[LimitRow] = []
    for limit in limits_of(name, own, judge):
        told = report["quality"].get(limit.metric)
        if told is None:
            continue
        metric = judge.by_key[limit.metric]
        values = report.get("worst", {}).get(limit.metric, {}).get("values", [])
        worst = values[0] if values else told["max" if metric.large_is_bad else "min"]
        passed = worst <= limit.value if metric.large_is_bad else worst >= limit.value
        beyond = sum(v > limit.value if metric.large_is_bad else v < limit.value for v in values)
        beyond = beyond if passed else max(beyond, 1)
        out.append(
            {
                "metric": limit.metric,
                "limit": limit.value,
                "worst": worst,
                "beyond": beyond,
                "more": not passed and (beyond == TOLD or not values),
                "passed": passed,
            }
        )
    return {"limits": name, "passed": all(row["passed"] for row in out), "rows": out}


def limit_findings(report: Mapping[str, Any], judged: Verdict, judge: Judge) -> list[Finding]:
    """A caution for every limit that some cells are beyond."""
    out = []
    for row in judged["rows"]:
        if row["passed"]:
            continue
        metric = judge.by_key[row["metric"]]
        unit = "" if metric.unit.startswith("unit") else metric.unit
        way = "over" if metric.large_is_bad else "under"
        tail = report.get("worst", {}).get(metric.key, {})
        things = judge.things
        least = f"At least so many {things}; the list of the worst tells of all. "
        words = metric.label[0].lower() + metric.label[1:]
        out.append(
            Finding(
                f"beyond-{metric.key.replace('_', '-')}",
                "caution",
                f"{things.capitalize()} with {words} {way} "
                f"{row['limit']:g}{unit}, the limit of {_set_words(judged['limits'])}.",
                row["beyond"],
                tail.get("places", [])[: min(row["beyond"], PLACES)],
                f"{least if row['more'] else ''}{judge.advice.get(metric.key, judge.advice_else)}",
                size=row["worst"],
                measure=f"{metric.label.lower()}{' in ' + unit if unit else ''}",
            )
        )
    return out


def _set_words(name: str) -> str:
    return "your own" if name == "own" else f"the {name} set"


_ADVICE_ELSE = "Look at the worst cells: their causes tell where to begin."
_ADVICE = {
    "equiangle_skewness": "Lower the smallest edge, or remove the sliver in the geometry there.",
    "smallest_dihedral": "Two faces of the geometry may meet at a sharp angle there; refine around "
    "it, or blunt it in Geometry.",
    "largest_dihedral": "Two faces of the geometry may meet at a sharp angle there; refine around "
    "it, or blunt it in Geometry.",
    "volume_ratio": "Let the edges grow slower, or give layers a last height nearer to the core's.",
    "growth": "Let the edges grow slower, or give layers a last height nearer to the core's.",
    "warp": "Shorter edges where the wall bends, or lower layers there.",
}


CELLS = Judge("cells", METRICS, SETS, _ADVICE, _ADVICE_ELSE)
TRIANGLES = Judge(
    "triangles",
    SURFACE_METRICS,
    SURFACE_SETS,
    {
        "deviation": "Shorter edges where the wall bends: a smaller angle between edges in Sizing.",
        "edge_ratio": "Another pass or two; or let edges grow slower in Sizing.",
    },
    "Look at the worst triangles: a sliver or a sharp corner of the geometry forces most of them.",
)


def limit_rows(judge: Judge) -> Rows:
    """The blank of limits of one's own."""
    return rows_of(_forms(judge))


def judged(
    report: Mapping[str, Any], name: str, own: list[dict[str, Any]], judge: Judge = CELLS
) -> dict[str, Any]:
    """The report with its verdict, and with the findings that follow from it after its own."""
    found = verdict(report, name, own, judge)
    more = [f.as_dict() for f in limit_findings(report, found, judge)]
    return {**report, "verdict": found, "findings": [*report["findings"], *more]}


def limits_in_unit(rows: list[dict[str, Any]], unit: str, other: str) -> list[dict[str, Any]]:
    """Limits of one's own in a unit of length, as what they are in another."""
    power = {"unit": 1, "unit²": 2, "unit³": 3}
    metrics = {m.key: m for m in (*METRICS, *SURFACE_METRICS)}
    return [
        {
            **row,
            "value": row["value"] * factor(unit, other) ** power.get(metrics[row["of"]].unit, 0),
        }
        for row in rows
    ]
