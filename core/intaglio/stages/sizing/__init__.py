"""Sizing: how long edges shall be, everywhere, and how many cells that will make."""

from collections.abc import Mapping
from typing import Any

from intaglio.parts.model import Product
from intaglio.stages.sizing.defaults import sizing_defaults
from intaglio.stages.sizing.report import SizingReport
from intaglio.stages.sizing.settings import Sizing
from intaglio.stages.sizing.step import sizing_step
from intaglio.stages.stage import Cost, Derived, Given, Reports, Run, Sentence, Stage


def _run(run: Run) -> Product:
    along = run.settings_of("domain").along
    return sizing_step(run.settings, along, run.product("domain"), run.product("patches"), run.tell)


def _enters(settings: Mapping[str, Any]) -> tuple[str, ...]:
    """Patches matter only where sizes name them: else renaming asks for no new mesh."""
    shells = any(r["shape"] == "shell" for r in settings["regions"])
    return ("domain", "patches") if settings["sizes"] or shells else ("domain",)


def _defaults(reports: Reports, given: Given) -> Derived | None:
    return sizing_defaults(reports["domain"], given) if "domain" in reports else None


STAGE = Stage(
    "sizing",
    "Sizing",
    Sizing,
    SizingReport,
    (
        Sentence(
            "Aim at about {cells} cells: let edges span from {smallest} to {largest}, and turn by "
            "{angle} per edge on curves."
        ),
        Sentence(
            "On the walls of a body in a stream they reach {wall} at most (0: no limit of their "
            "own)."
        ),
        Sentence(
            "Neighbouring edges grow by {growth} at most, and {gap_cells} cells fit across a gap."
        ),
        Sentence(
            "Walk over edges within a patch where its faces turn by less than {walk_over}, and "
            "over slivers between them (0: keep every edge)."
        ),
        Sentence("On patches and edges: {sizes}"),
        Sentence("In regions of space: {regions}"),
    ),
    "Lay out the sizes",
    ("domain", "patches"),
    run=_run,
    defaults=_defaults,
    cost=lambda reports: Cost(3.0),
    version=5,
    enters=_enters,
    gives=("sizes",),
)
