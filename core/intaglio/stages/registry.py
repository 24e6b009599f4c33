"""The stages in working order. A new stage is a module with a STAGE, and a line here."""

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


def stages_of(name: str) -> tuple[Stage, ...]:
    """The stages that a file of this name goes through: a finished mesh has fewer."""
    return finished.FINISHED_STAGES if finished.is_finished(name) else STAGES


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
            "blanks": described(stage.settings),
        }
        for stage in stages
        if stage.sentences
    ]
