"""Case: fluid and conditions, checked against the mesh, and the files of the export."""

from collections.abc import Mapping
from typing import Any

from intaglio.parts.model import Product
from intaglio.stages.case.report import CaseReport
from intaglio.stages.case.settings import Case, case_defaults
from intaglio.stages.case.step import case_step
from intaglio.stages.stage import Cost, Reports, Run, Sentence, Stage, from_report

# measured on exports of 0.1 to 1.1 million cells
_CELLS_PER_SECOND = 120_000.0


def _run(run: Run) -> Product:
    return case_step(
        run.settings,
        run.name,
        run.product("volume"),
        run.product("patches"),
        run.settings_of("volume"),
        run.done,
        run.tell,
    )


def _limits(reports: Reports, settings: Mapping[str, Mapping[str, Any]]) -> Any:
    """The mesh's limits: the report that is handed over holds the verdict."""
    volume = settings["volume"]
    return [volume["limits"], volume["own_limits"] if volume["limits"] == "own" else []]


def _cost(reports: Reports) -> Cost:
    volume = reports.get("volume")
    cells = volume["cells"] if volume else _expected(reports)
    return Cost(1.0 + cells / _CELLS_PER_SECOND)


def _expected(reports: Reports) -> float:
    sizing = reports.get("sizing")
    return float(sizing["forecast"]["cells"]) if sizing else 600_000.0


STAGE = Stage(
    "case",
    "Case",
    Case,
    CaseReport,
    (
        Sentence("The fluid has a density of {density} and a viscosity of {viscosity}."),
        Sentence(
            "It enters at {velocity} through the inlets, leaves at {pressure} through the outlets, "
            "and does not slip on walls."
        ),
    ),
    "Set up the case",
    ("volume", "patches"),
    run=_run,
    defaults=from_report("domain", case_defaults),
    cost=_cost,
    also=_limits,
    version=3,
    named=True,
)
