"""Case: fluid and conditions, checked against the mesh, and the files of the export."""

from collections.abc import Mapping
from typing import Any

from intaglio.parts.model import Product
from intaglio.stages.case.defaults import case_defaults
from intaglio.stages.case.report import CaseReport
from intaglio.stages.case.settings import Case
from intaglio.stages.case.step import case_step
from intaglio.stages.stage import Cost, Derived, Given, Reports, Run, Sentence, Stage

# measured on 950,000 cells of all shapes: checks, numbering, every file written and read back
_CELLS_PER_SECOND = 60_000.0


def _run(run: Run) -> Product:
    return case_step(
        run.settings,
        run.name,
        run.product("volume"),
        run.product("patches"),
        run.settings_of("volume"),
        run.reports,
        run.tell,
    )


def _told_along(reports: Reports, settings: Mapping[str, Mapping[str, Any]]) -> Any:
    """What the report that is handed over holds besides: the verdict by the mesh's limits, and the
    reasons for which findings were accepted."""
    volume = settings["volume"]
    limits = [volume["limits"], volume["own_limits"] if volume["limits"] == "own" else []]
    accepted = [
        [stage, row["code"], row["accepted"]]
        for stage, report in reports.items()
        for row in report["findings"]
        if row.get("accepted")
    ]
    return [*limits, accepted] if accepted else limits


def _cost(reports: Reports) -> Cost:
    volume = reports.get("volume")
    cells = volume["cells"] if volume else _expected(reports)
    return Cost(1.0 + cells / _CELLS_PER_SECOND)


def _expected(reports: Reports) -> float:
    sizing = reports.get("sizing")
    return float(sizing["forecast"]["cells"]) if sizing else 600_000.0


def _defaults(reports: Reports, given: Given) -> Derived | None:
    if "domain" not in reports or "patches" not in reports:
        return None
    return case_defaults(reports["domain"], reports["patches"])


STAGE = Stage(
    "case",
    "Case",
    Case,
    CaseReport,
    (
        Sentence("The zones hold: {materials}"),
        Sentence("Compute the flow {heat} heat, {closure}."),
        Sentence("The patches: {conditions}"),
        Sentence("The walls and heat: {warmth}", only=(("heat", ("with",)),)),
        Sentence("Take it as {time}, in {iterations} iterations.", only=(("time", ("steady",)),)),
        Sentence(
            "Take it as {time}, in steps of {step} until {end}.", only=(("time", ("unsteady",)),)
        ),
        Sentence("Gravity is {gravity}."),
        Sentence("Zones that turn: {frames}"),
        Sentence("The solver's case expects these patches: {expected}"),
        Sentence("Hand it over in {length}, its cells numbered {numbering}, as {files}"),
    ),
    "Set up the case",
    ("volume", "patches"),
    run=_run,
    defaults=_defaults,
    cost=_cost,
    also=_told_along,
    version=6,
    named=True,
)
