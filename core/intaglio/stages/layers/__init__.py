"""Layers: thin cells along the walls, for what happens in the flow's last millimetre."""

from collections.abc import Mapping
from typing import Any

from intaglio.layers.grow import LOWEST
from intaglio.parts.model import Product
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


def _enters(settings: Mapping[str, Any]) -> tuple[str, ...]:
    """Patches matter only where layers name them: else renaming asks for no new mesh."""
    return ("surface", "patches") if settings["layers"] else ("surface",)


def _defaults(reports: Reports, given: Given) -> Derived | None:
    return (
        {"layers": [], "lowest": LOWEST},
        {
            "layers": "None: right for flows that walls hardly matter to.",
            "lowest": "Keeps all layers in most corners.",
        },
    )


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
        Sentence(
            "Where there is less room, let them grow slower, then thin them to {lowest} of their "
            "height, then end them one by one."
        ),
    ),
    "Grow the layers",
    ("surface", "domain", "patches"),
    run=_run,
    defaults=_defaults,
    cost=_cost,
    enters=_enters,
)
