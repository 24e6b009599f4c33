"""What all stages found, told along with what is handed over."""

from collections.abc import Sequence
from typing import Any

from intaglio.findings import Finding, FindingRow
from intaglio.stages.stage import Reports

# what is wrong with the part as it came need not be in the fluid
_PART = "geometry"
# the mesh is judged anew, as it is written
_MESH = "volume"


def unsettled(reports: Reports) -> list[Finding]:
    """An error for each stage that found one: what was made from it must not be used."""
    out = []
    for stage, report in reports.items():
        wrong = [row["message"] for row in report["findings"] if row["level"] == "error"]
        if wrong and stage != _PART:
            out.append(
                Finding(
                    "stage-errors",
                    "error",
                    f"{stage.capitalize()} found an error: {' '.join(wrong)}",
                    len(wrong),
                    advice="Settle it there first.",
                )
            )
    return out


def found_here(reports: Reports, of_mesh: Sequence[FindingRow]) -> list[FindingRow]:
    """What is found of the mesh as it is written and was not told by Volume."""
    known = {row["code"] for row in _of_volume(reports)}
    return [row for row in of_mesh if row["code"] not in known]


def found_along(
    reports: Reports, of_mesh: Sequence[FindingRow], of_case: Sequence[FindingRow], scale: float
) -> list[dict[str, Any]]:
    """Findings of all stages in order, each with its `stage`: those of the reports, those of the
    mesh as it is written in place of what Volume found of it, and those of the case. scale: a
    length of the files over one of the model, for places; words keep the model's unit."""
    anew = {row["code"] for row in of_mesh}
    out: list[dict[str, Any]] = []
    for stage, report in reports.items():
        for row in report["findings"]:
            if stage != _MESH or row["code"] not in anew:
                places = [[scale * x for x in at] for at in row["places"]]
                out.append({"stage": stage, **row, "places": places})
    here = found_here(reports, of_mesh)
    reasons = {row["code"]: row["accepted"] for row in _of_volume(reports) if "accepted" in row}
    for row in of_mesh:
        if row not in here:
            reason = {"accepted": reasons[row["code"]]} if row["code"] in reasons else {}
            out.append({"stage": _MESH, **row, **reason})
    return out + [{"stage": "case", **row} for row in [*here, *of_case]]


def _of_volume(reports: Reports) -> Sequence[FindingRow]:
    return reports[_MESH]["findings"] if _MESH in reports else []
