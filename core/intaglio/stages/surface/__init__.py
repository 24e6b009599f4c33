"""Surface: meshing the surface of the fluid."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.parts.model import Product
from intaglio.quality.limits import TRIANGLES, judged, strict_rows
from intaglio.sizing.forecast import surface_seconds
from intaglio.stages.patches.naming import resolve
from intaglio.stages.patches.step import scale_of_report
from intaglio.stages.stage import Cost, Report, Reports, Run, Sentence, Stage
from intaglio.stages.surface.report import SurfaceReport
from intaglio.stages.surface.settings import SurfaceMesh
from intaglio.stages.surface.step import parted, surface_step


def _run(run: Run) -> Product:
    return surface_step(
        run.settings,
        run.settings_of("sizing"),
        run.product("domain"),
        run.product("sizing"),
        run.product("patches"),
        run.tell,
    )


def _cost(reports: Reports) -> Cost:
    sizing = reports.get("sizing")
    return Cost(surface_seconds(sizing["forecast"]["triangles"]) if sizing else 10.0)


class _Moved(Exception):
    """A face of a patch is to be looked for in the model."""


def _locate(spot: list[float]) -> NDArray[np.float64]:
    raise _Moved


def _parted_seams(reports: Reports, settings: Mapping[str, Mapping[str, Any]]) -> Any:
    """Patches matter only where they part a seam: naming else costs no mesh.

    They are read off their settings, so that a mesh does not look out of date until they have been
    settled; None where the model itself would have to be asked.
    """
    sizing, domain = reports.get("sizing"), reports.get("domain")
    if not sizing or not domain or not sizing["seams"]:
        return []
    patch = np.full(len(domain["faces"]), -1, np.int32)
    rows = settings["patches"]["patches"]
    try:
        members, _ = resolve(rows, domain["faces"], scale_of_report(domain), _locate)
    except _Moved:
        if "patches" not in reports:
            return None
        number = {row["id"]: k for k, row in enumerate(domain["faces"])}
        told = reports["patches"]["patches"]
        members = [[number[face] for face in row["faces"]] for row in told]
    for k, own in enumerate(members):
        patch[own] = k
    return parted(sizing["seams"], patch).tolist()


def _judged(report: Report, settings: Mapping[str, Any]) -> Report:
    return judged(report, settings["limits"], settings["own_limits"], TRIANGLES)


STAGE = Stage(
    "surface",
    "Surface",
    SurfaceMesh,
    SurfaceReport,
    (
        Sentence(
            "Mesh the surface of the fluid in {passes} passes of splitting, swapping and smoothing."
        ),
        Sentence(
            "Where it does not hold, lower the edges, down to {mend} of the smallest, and mesh "
            "again (0: leave it)."
        ),
        Sentence(
            "Judge the surface by the {limits} limits.", only=(("limits", ("general", "strict")),)
        ),
        Sentence(
            "Judge the surface by {limits} limits: {own_limits}", only=(("limits", ("own",)),)
        ),
    ),
    "Mesh the surface",
    ("domain", "sizing", "patches"),
    run=_run,
    defaults=lambda reports, given: (
        {
            "passes": 9,
            "mend": 0.25,
            "limits": "general",
            "own_limits": strict_rows(TRIANGLES),
        },
        {
            "passes": "Enough for nearly every surface.",
            "mend": "Mends what sizes alone do not foresee; the places come back as a finding.",
            "limits": "Cells that stand on such triangles keep the general limits too.",
            "own_limits": "The strict ones, to begin with.",
        },
    ),
    cost=_cost,
    version=4,
    enters=lambda settings: ("domain", "sizing"),
    also=_parted_seams,
    apart=("limits", "own_limits"),
    judge=_judged,
    usual=lambda counts: surface_seconds(counts["triangles"]) * counts.get("rounds", 1),
    gives=("surface",),
)
