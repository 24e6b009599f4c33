"""Volume: filling the zones, between their layers, with tetrahedra and proving the result."""

from collections.abc import Mapping
from typing import Any

from intaglio.parts.model import Product
from intaglio.quality.limits import CELLS, judged, strict_rows
from intaglio.sizing.forecast import volume_seconds
from intaglio.stages.stage import Cost, Report, Reports, Run, Sentence, Stage
from intaglio.stages.volume.meshes import named_mesh, volume_mesh
from intaglio.stages.volume.report import VolumeReport
from intaglio.stages.volume.settings import VolumeMesh
from intaglio.stages.volume.step import divided_step, faces_meant, field_used, volume_step

__all__ = ["STAGE", "named_mesh", "volume_mesh"]

# what cells in layers add, checks included: measured on the demo models
_LAYER_CELLS_PER_SECOND, _BYTES_PER_LAYER_CELL = 60_000.0, 400


def _run(run: Run) -> Product:
    if run.base is not None:
        field = field_used(run.product("surface"), run.product("sizing"))
        return divided_step(run.settings.divided, run.base, run.product("patches"), field, run.tell)
    return volume_step(
        run.settings,
        run.product("surface"),
        run.product("layers"),
        run.settings_of("layers").lowest,
        run.product("sizing"),
        run.product("domain"),
        run.tell,
    )


def _cost(reports: Reports) -> Cost:
    sizing = reports.get("sizing")
    if not sizing:
        return Cost(25.0)
    expected = sizing["forecast"]
    in_layers = reports["layers"]["cells"] if "layers" in reports else 0
    return Cost(
        volume_seconds(expected["cells"]) + in_layers / _LAYER_CELLS_PER_SECOND,
        expected["memory"] + _BYTES_PER_LAYER_CELL * in_layers,
    )


def _scoped(reports: Reports, settings: Mapping[str, Mapping[str, Any]]) -> Any:
    """Of the patches whose layers are divided again it is their faces that matter."""
    rows = settings["volume"]["divided"]
    if not rows or "patches" not in reports:
        return None
    return [sorted(own) for own in faces_meant(rows, reports["patches"])]


def _judged(report: Report, settings: Mapping[str, Any]) -> Report:
    return judged(report, settings["limits"], settings["own_limits"])


STAGE = Stage(
    "volume",
    "Volume",
    VolumeMesh,
    VolumeReport,
    (
        Sentence(
            "Fill what the layers leave with tetrahedra, then raise the worst of them in {passes} "
            "passes until none has an angle under {target}."
        ),
        Sentence("Then divide the layers again: {divided}", of_model=(("layered", ("yes",)),)),
        Sentence(
            "Judge the mesh by the {limits} limits.", only=(("limits", ("general", "strict")),)
        ),
        Sentence("Judge the mesh by {limits} limits: {own_limits}", only=(("limits", ("own",)),)),
    ),
    "Fill the volume",
    ("surface", "layers", "sizing"),
    run=_run,
    defaults=lambda reports, given: (
        {
            "passes": 12,
            "target": 25.0,
            "divided": [],
            "limits": "general",
            "own_limits": strict_rows(CELLS),
        },
        {
            "passes": "Enough for ordinary parts.",
            "target": "Reached on ordinary parts; sharp corners may forbid it.",
            "divided": "They stay as they grew.",
            "limits": "Most solvers cope with them.",
            "own_limits": "The strict ones, to begin with.",
        },
    ),
    cost=_cost,
    usual=lambda counts: volume_seconds(counts["cells"]),
    also=_scoped,
    base=lambda settings: {**settings, "divided": []},
    version=5,
    apart=("limits", "own_limits"),
    judge=_judged,
)
