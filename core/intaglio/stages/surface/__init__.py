"""Surface: meshing the surface of the fluid."""

from typing import Any

import numpy as np

from intaglio.parts.model import Product
from intaglio.sizing.forecast import surface_seconds
from intaglio.stages.stage import Cost, Reports, Run, Sentence, Stage
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


def _parted_seams(reports: Reports) -> Any:
    """Patches matter only where they part a seam: naming else costs no mesh."""
    sizing, patches, domain = (reports.get(k) for k in ("sizing", "patches", "domain"))
    if not sizing or not sizing["seams"]:
        return []
    if not patches or not domain:
        return None
    number = {row["id"]: k for k, row in enumerate(domain["faces"])}
    patch = np.full(len(number), -1, np.int32)
    for k, row in enumerate(patches["patches"]):
        patch[[number[face] for face in row["faces"]]] = k
    return parted(sizing["seams"], patch).tolist()


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
    ),
    "Mesh the surface",
    ("domain", "sizing", "patches"),
    run=_run,
    defaults=lambda reports, given: (
        {"passes": 9, "mend": 0.25},
        {
            "passes": "Enough for nearly every surface.",
            "mend": "Mends what sizes alone do not foresee; the places come back as a finding.",
        },
    ),
    cost=_cost,
    version=3,
    enters=lambda settings: ("domain", "sizing"),
    also=_parted_seams,
    usual=lambda counts: surface_seconds(counts["triangles"]) * counts.get("rounds", 1),
)
