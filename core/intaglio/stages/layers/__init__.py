"""Layers: thin cells along the walls, for what happens in the flow's last millimetre."""

from collections.abc import Mapping
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.parts.model import Product
from intaglio.stages.layers.defaults import layer_defaults, scoped
from intaglio.stages.layers.report import LayersReport
from intaglio.stages.layers.settings import LayerSettings
from intaglio.stages.layers.step import layers_step
from intaglio.stages.stage import Cost, Derived, Given, Reports, Run, Sentence, Stage


def _run(run: Run) -> Product:
    return layers_step(
        run.settings,
        run.product("surface"),
        run.product("domain"),
        run.product("patches"),
        run.tell,
    )


def _scoped(reports: Reports, settings: Mapping[str, Mapping[str, Any]]) -> Any:
    """Of the patches it is their faces that matter: renaming asks for no new mesh."""
    rows = settings["layers"]["layers"]
    if not rows or "patches" not in reports or "domain" not in reports:
        return None
    try:
        return scoped(rows, reports["domain"], reports["patches"])
    except SettingRejected as error:
        return str(error)


def _defaults(reports: Reports, given: Given) -> Derived | None:
    if "patches" not in reports or "domain" not in reports:
        return None
    return layer_defaults(reports["domain"], reports["patches"])


def _cost(reports: Reports) -> Cost:
    surface = reports.get("surface")
    return Cost(0.5 + 4e-5 * surface["triangles"] if surface else 2.0)


STAGE = Stage(
    "layers",
    "Layers",
    LayerSettings,
    LayersReport,
    (
        Sentence("Grow layers from the walls: {layers}"),
        Sentence("Towards the core they {onward}."),
        Sentence(
            "Where there is less room, let the outer ones grow slower, then thin all, to {lowest} "
            "of their height at the least; where that is too high none stand."
        ),
    ),
    "Grow the layers",
    ("surface", "domain", "patches"),
    run=_run,
    defaults=_defaults,
    cost=_cost,
    enters=lambda settings: ("surface",),
    also=_scoped,
    version=4,
)
