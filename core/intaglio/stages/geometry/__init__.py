"""Geometry: the part read, moved and repaired, and what is wrong with it."""

from intaglio.parts.model import Product
from intaglio.stages.geometry.report import GeometryReport
from intaglio.stages.geometry.settings import Geometry, geometry_defaults
from intaglio.stages.stage import Cost, Run, Sentence, Stage


def _run(run: Run) -> Product:
    from intaglio.stages.geometry.step import geometry_step

    return geometry_step(run.settings, run.source, run.tell, run.show)


STAGE = Stage(
    "geometry",
    "Geometry",
    Geometry,
    GeometryReport,
    (
        Sentence("Take the numbers of the file in {unit}."),
        Sentence(
            "Tell facets apart into faces at edges sharper than {angle}.",
            of_model=(("kind", ("facets",)),),
        ),
        Sentence("Then, in this order: {repairs}"),
    ),
    "Read the part",
    (),
    run=_run,
    defaults=lambda reports, given: geometry_defaults(),
    cost=lambda reports: Cost(4.0),
    gives=("model",),
)
