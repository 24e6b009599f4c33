"""A finished mesh from a file: it is read, named, judged and handed over; nothing is meshed."""

from dataclasses import dataclass, replace

from intaglio.parts.model import Product
from intaglio.sizing.forecast import volume_seconds
from intaglio.stages import case, patches, volume
from intaglio.stages.domain.report import DomainReport
from intaglio.stages.finished.judging import judging_step
from intaglio.stages.finished.reading import is_finished, own_patches, reading_step
from intaglio.stages.stage import Cost, Reports, Run, Sentence, Stage, from_report

__all__ = ["FINISHED_STAGES", "is_finished"]


@dataclass(frozen=True)
class Nothing:
    """Reading has no settings: the file says all."""


def _read(run: Run) -> Product:
    return reading_step(run.source, run.tell)


def _judge(run: Run) -> Product:
    return judging_step(run.product("domain"), run.tell)


def _cost(reports: Reports) -> Cost:
    # checks and metrics, which are a third of what filling takes
    domain = reports.get("domain")
    return Cost(2.0 if domain is None else 1.0 + volume_seconds(domain["cells"]) / 3.0)


# it stands where Domain does: later stages take faces and zones from it
_READING = Stage(
    "domain",
    "File",
    Nothing,
    DomainReport,
    (),
    "Read the mesh",
    (),
    run=_read,
    defaults=lambda reports, given: ({}, {}),
    cost=lambda reports: Cost(3.0),
    gives=("model", "fluid"),
)

_VOLUME = replace(
    volume.STAGE,
    sentences=(
        Sentence("The mesh is the one that was read."),
        *(s for s in volume.STAGE.sentences if "limits" in s.text),
    ),
    action="Judge the mesh",
    needs=("domain",),
    run=_judge,
    cost=_cost,
    also=None,
    base=lambda settings: settings,
)

_PATCHES = replace(
    patches.STAGE,
    sentences=(Sentence("Every patch of the file keeps its faces: {patches}"),),
    defaults=from_report("domain", own_patches),
)

FINISHED_STAGES: tuple[Stage, ...] = (_READING, _VOLUME, _PATCHES, case.STAGE)
