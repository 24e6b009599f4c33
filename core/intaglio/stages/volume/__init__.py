"""Volume: the mesh, made in one of several ways, and proved."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from intaglio.parts.model import Product
from intaglio.quality.limits import CELLS, judged, strict_rows
from intaglio.sizing.forecast import volume_seconds
from intaglio.stages.stage import Report, Reports, Run, Sentence, Stage
from intaglio.stages.surface.made import surface_made
from intaglio.stages.volume.meshes import named_mesh, volume_mesh
from intaglio.stages.volume.report import VolumeReport
from intaglio.stages.volume.settings import VolumeMesh
from intaglio.stages.volume.step import divided_step, faces_meant, volume_step
from intaglio.stages.volume.way import Way
from intaglio.stages.volume.ways import WAYS, way_called

__all__ = ["STAGE", "named_mesh", "volume_mesh"]


def _run(run: Run) -> Product:
    if run.base is None:
        return volume_step(run)
    field = None
    if "sizing" in way_called(run.settings.cells).needs:
        field = surface_made(run.product("surface")).field(run.product("sizing"))
    return divided_step(run.settings.divided, run.base, run.product("patches"), field, run.tell)


def _scoped(reports: Reports, settings: Mapping[str, Mapping[str, Any]]) -> Any:
    """Of the patches whose layers are divided again it is their faces that matter."""
    rows = settings["volume"]["divided"]
    if not rows or "patches" not in reports:
        return None
    return [sorted(own) for own in faces_meant(rows, reports["patches"])]


def _judged(report: Report, settings: Mapping[str, Any]) -> Report:
    return judged(report, settings["limits"], settings["own_limits"])


def by_way(way: Way) -> Stage:
    """The stage as it is with a way of making the mesh."""
    return replace(STAGE, needs=way.needs, cost=way.cost, version=way.version)


def _sentences() -> Iterator[Sentence]:
    """The choice, and the sentences of each way while it is chosen."""
    yield Sentence("Fill what the layers leave with {cells}.")
    for way in WAYS:
        for own in way.sentences:
            yield replace(own, only=(*own.only, ("cells", (way.key,))))


STAGE = Stage(
    "volume",
    "Volume",
    VolumeMesh,
    VolumeReport,
    (
        *_sentences(),
        Sentence("Then divide the layers again: {divided}", of_model=(("layered", ("yes",)),)),
        Sentence(
            "Judge the mesh by the {limits} limits.", only=(("limits", ("general", "strict")),)
        ),
        Sentence("Judge the mesh by {limits} limits: {own_limits}", only=(("limits", ("own",)),)),
    ),
    "Fill the volume",
    WAYS[0].needs,
    run=_run,
    defaults=lambda reports, given: (
        {
            "cells": WAYS[0].key,
            "passes": 12,
            "target": 25.0,
            "divided": [],
            "limits": "general",
            "own_limits": strict_rows(CELLS),
        },
        {
            "cells": "They fill any space that the layers leave.",
            "passes": "Enough for ordinary parts.",
            "target": "Reached on ordinary parts; sharp corners may forbid it.",
            "divided": "They stay as they grew.",
            "limits": "Most solvers cope with them.",
            "own_limits": "The strict ones, to begin with.",
        },
    ),
    cost=WAYS[0].cost,
    usual=lambda counts: volume_seconds(counts["cells"]),
    also=_scoped,
    base=lambda settings: {**settings, "divided": []},
    version=WAYS[0].version,
    later={"cells": WAYS[0].key},
    gives=("mesh",),
    apart=("limits", "own_limits"),
    judge=_judged,
)
