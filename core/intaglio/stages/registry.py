"""The stages in working order. A new stage is a module with a STAGE, and a line here."""

from collections.abc import Mapping
from typing import Any

from intaglio.settings.blanks import described
from intaglio.stages import (
    case,
    domain,
    finished,
    geometry,
    layers,
    patches,
    sizing,
    surface,
    volume,
)
from intaglio.stages.stage import Stage
from intaglio.stages.volume.ways import WAYS, way_of

STAGES: tuple[Stage, ...] = (
    geometry.STAGE,
    domain.STAGE,
    patches.STAGE,
    sizing.STAGE,
    surface.STAGE,
    layers.STAGE,
    volume.STAGE,
    case.STAGE,
)

BY_KEY: dict[str, Stage] = {stage.key: stage for stage in STAGES}


def stages_of(name: str, given: Mapping[str, Mapping[str, Any]]) -> tuple[Stage, ...]:
    """The stages that a study goes through, by its file's name and its settings: a finished mesh
    has fewer, and of a part those that the way of making its mesh needs."""
    if finished.is_finished(name):
        return finished.FINISHED_STAGES
    way = way_of(given)
    if way is WAYS[0]:
        return STAGES
    own = tuple(volume.by_way(way) if s is volume.STAGE else s for s in STAGES)
    wanted = {own[-1].key}
    for stage in reversed(own):
        if stage.key in wanted:
            wanted |= set(stage.needs)
    return tuple(stage for stage in own if stage.key in wanted)


def giving(what: str, stages: tuple[Stage, ...] = STAGES) -> str:
    """Key of the last of the stages that gives something: model, fluid, sizes, surface, mesh."""
    return next(stage.key for stage in reversed(stages) if what in stage.gives)


def description(stages: tuple[Stage, ...] = STAGES) -> list[dict[str, Any]]:
    """The stages that have a brief, with their blanks as plain data: for the API and the page."""
    return [
        {
            "key": stage.key,
            "title": stage.title,
            "sentences": [
                {"text": t.text, "only": {k: list(v) for k, v in t.only + t.of_model}}
                for t in stage.sentences
            ],
            "action": stage.action,
            "needs": list(stage.needs),
            "gives": list(stage.gives),
            "blanks": described(stage.settings),
        }
        for stage in stages
        if stage.sentences
    ]
