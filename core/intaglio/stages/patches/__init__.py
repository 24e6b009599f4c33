"""Patches: every face of the fluid on one patch, with a name and a kind."""

from intaglio.parts.model import Product
from intaglio.stages.patches.defaults import patches_defaults
from intaglio.stages.patches.report import PatchesReport
from intaglio.stages.patches.settings import Patches
from intaglio.stages.patches.step import patches_step
from intaglio.stages.stage import Cost, Run, Sentence, Stage, from_report


def _run(run: Run) -> Product:
    return patches_step(run.settings, run.product("domain"), run.tell)


STAGE = Stage(
    "patches",
    "Patches",
    Patches,
    PatchesReport,
    (Sentence("Every face of the fluid belongs to one patch: {patches}"),),
    "Settle the patches",
    ("domain",),
    run=_run,
    defaults=from_report("domain", patches_defaults),
    cost=lambda reports: Cost(1.0),
)
