"""Drafting a recipe from files alone: derived settings, and safe repairs where they are needed."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from intaglio.errors import StepFailed
from intaglio.parts.source import Source
from intaglio.recipe.plan import MemoryStore, run_to

# safe repairs in a draft move the surface by at most this share of the diagonal
SAFE_SHARE = 1e-3
# what a draft is made to decide; all else follows from the part, and from what is decided later
_DECIDES = {"domain": ("where", "closed", "pin", "sheets")}


@dataclass(frozen=True)
class Draft:
    """Settings and reasons by stage; decided: names of those that the draft itself chose, by stage,
    the others follow from the part; unit; findings that are left, of level error; closed."""

    settings: dict[str, dict[str, Any]]
    decided: dict[str, set[str]]
    reasons: dict[str, dict[str, str]]
    unit: str
    left: list[dict[str, Any]]
    closed: bool


def draft(source: Source, name: str, fluid: str | None) -> Draft:
    """A draft for the fluid inside, around or as-is, or where the model suggests (None).

    Raises FileRejected, and StepFailed if there is no such fluid.
    """
    given: dict[str, dict[str, Any]] = {}
    store = MemoryStore()
    report = _geometry(source, name, given, store)
    if not report["closed"]:
        tolerance = float(
            f"{SAFE_SHARE * np.linalg.norm(np.subtract(report['high'], report['low'])):.2g}"
        )
        given["geometry"] = {"repairs": [{"do": "repair_safe", "on": True, "tolerance": tolerance}]}
        report = _geometry(source, name, given, store)
    # faces that no solid holds are sewn as their finding offers; what stays open is closed by the
    # likeliest way; each if that closes it
    for more in (_sewing, _closing):
        added = [] if report["closed"] else more(report)
        if added:
            repairs = [*given["geometry"]["repairs"], *added]
            tried = _geometry(source, name, {"geometry": {"repairs": repairs}}, store)
            if tried["closed"]:
                given["geometry"]["repairs"], report = repairs, tried
    if fluid == "inside" and not report["spaces"]:
        raise StepFailed(
            "no-space",
            f"{source.name} encloses no space that closing its openings would complete. "
            "Draft it with --fluid as-is if the part itself is the fluid, or around.",
        )
    if fluid is not None:
        given["domain"] = {"where": fluid}
        if fluid == "inside":
            space = report["spaces"][0]
            given["domain"] |= {
                "closed": space["openings"],
                "pin": [{"name": "fluid", "at": space["pin"], "kind": "fluid"}],
            }
        else:
            given["domain"]["closed"] = []
    left = [f for f in report["findings"] if f["level"] == "error"]
    try:
        rows = run_to("patches", source, name, given, store)
    except StepFailed:
        if report["closed"]:
            raise
        # the recipe is worth having all the same: what is left to repair is told
        rows = run_to("geometry", source, name, given, store)
    settings = {s.stage: s.settings for s in rows if s.settings}
    return Draft(
        settings,
        {stage: set(given.get(stage, {})) | set(_DECIDES.get(stage, ())) for stage in settings},
        {s.stage: s.reasons for s in rows},
        report["unit"],
        left,
        report["closed"],
    )


def _sewing(report: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The sewings that findings of level error offer, each once."""
    out: list[dict[str, Any]] = []
    for finding in report["findings"]:
        for offered in finding["repairs"] if finding["level"] == "error" else []:
            row = {**offered["operation"], "on": True}
            if row["do"] == "sew" and row not in out:
                out.append(row)
    return out


def _closing(report: Mapping[str, Any]) -> list[dict[str, Any]]:
    return [{"do": "close", "on": True}]


def _geometry(
    source: Source, name: str, given: dict[str, dict[str, Any]], store: MemoryStore
) -> Mapping[str, Any]:
    rows = {s.stage: s for s in run_to("geometry", source, name, given, store)}
    report = rows["geometry"].report
    assert report is not None
    return report
