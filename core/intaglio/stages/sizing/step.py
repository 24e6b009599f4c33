"""Laying out the sizes and forecasting the counts."""

import math

import numpy as np

from intaglio.errors import SettingRejected, StepFailed
from intaglio.findings import Finding, offer
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, model_of
from intaglio.quality.statistics import summary
from intaglio.sizing.aiming import USUAL_CELLS
from intaglio.sizing.forecast import BYTES_PER_CELL, forecast
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.sources import LocalSizes, surface_field
from intaglio.stages.domain.faces import back_faces, both_sides
from intaglio.stages.sizing.defaults import MUCH_MORE, sizing_defaults
from intaglio.stages.sizing.local_sizes import check_counts, counted_points, resolved
from intaglio.stages.sizing.made import field_arrays
from intaglio.stages.sizing.report import SizingReport
from intaglio.stages.sizing.seams import seams_of, walk
from intaglio.stages.sizing.settings import FINEST_SHARE, Sizing
from intaglio.stages.sizing.wake import wake_offer
from intaglio.stages.stage import Progress
from intaglio.triangles.closure import unclosed_edges
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.seams import Walked, faces_beside

# a run that would need more memory than this is refused, with the sizes that would fit
MEMORY_LIMIT = 12e9


def fluid_facets(model: Model, settings: Sizing) -> tuple[Facets, Curves]:
    """Facets and feature curves of the fluid, fine enough for the sizes."""
    facets, curves = kind_of(model).meshing_input(
        model, settings.smallest, math.radians(settings.angle)
    )
    return facets, curves


def laid_out(
    settings: Sizing,
    facets: Facets,
    curves: Curves,
    local: LocalSizes,
    walked: Walked | None,
) -> SizeField:
    """The size field of the settings and local sizes. Raises SettingRejected if it is too large."""
    try:
        return surface_field(
            facets,
            curves,
            settings.smallest,
            settings.largest,
            math.radians(settings.angle),
            settings.growth,
            settings.gap_cells,
            local,
            None if walked is None else walked.curves,
        )
    except MemoryError as error:
        raise SettingRejected(
            "sizing.regions",
            f"Region {error} asks for so small edges that its sizes alone fill the memory. "
            "Raise its edge length.",
        ) from error


def sizing_step(
    settings: Sizing, along: str, domain: Product, patches: Product, progress: Progress
) -> Product:
    """Lay out the size field and forecast the counts. along: the way of the flow past a body."""
    low, high = np.array(domain.report["low"]), np.array(domain.report["high"])
    scale = float(np.linalg.norm(high - low))
    if settings.smallest < FINEST_SHARE * scale:
        raise SettingRejected(
            "sizing.smallest",
            f"The smallest edge {settings.smallest:g} is under a hundred-thousandth of the model. "
            f"Use at least {FINEST_SHARE * scale:.2g}.",
        )
    rough = domain.report["volume"] / settings.largest**3 + domain.report["area"] / (
        settings.largest**2
    )
    if rough > 1e8:
        _refuse(settings, domain, rough * 7)
    progress(0.1, "laying out sizes")
    model = model_of(domain)
    facets, curves = fluid_facets(model, settings)
    local, found = resolved(settings, domain.report, patches.report, facets, curves)
    found += wake_offer(settings, domain.report, along, facets)
    assert local.sides is not None
    sides = local.sides[facets.region]
    gaps = unclosed_edges(facets.triangles, sides)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The fluid's surface has {len(gaps)} free edges; the geometry is not closed there.",
            facets.points[gaps].mean(axis=1)[:20].tolist(),
        )
    seam = seams_of(settings, facets, curves, local, kind_of(model).turns(model, facets, curves))
    walked = walk(settings, facets, curves, local, seam)
    field = laid_out(settings, facets, curves, local, walked)
    check_counts(curves, local, field)
    progress(0.7, "forecasting")
    expected = forecast(facets, field, sides)
    if expected.memory > MEMORY_LIMIT:
        _refuse(settings, domain, expected.cells)
    found += _without_say(settings, domain, expected.cells)
    wall = sizes(field, facets.points)
    shown = both_sides(facets.triangles, facets.region, back_faces(domain.report))
    data: SizingReport = {
        "unit": domain.report["unit"],
        "edge": summary(wall),
        "forecast": {
            "triangles": expected.triangles,
            "cells": expected.cells,
            "memory": expected.memory,
            "seconds": expected.seconds,
        },
        "counted": counted_points(curves, local).tolist(),
        "seams": faces_beside(facets, curves)[seam].tolist(),
        "findings": [f.as_dict() for f in found],
    }
    return Product(
        {
            **field_arrays(field),
            "seam": seam,
            "seam_lines": facets.points[curves.edge_nodes[seam[curves.edge_curve]]],
            "display_size": wall.astype(np.float32),
            "display_points": facets.points.astype(np.float32),
            "display_triangles": shown[0],
            "display_region": shown[1],
        },
        data,
    )


def _without_say(settings: Sizing, domain: Product, cells: float) -> list[Finding]:
    """Where a number of cells is asked for, and both limits that would follow from it are given and
    lead to another."""
    apart = max(cells, settings.cells) / max(1.0, min(cells, settings.cells))
    if settings.cells == USUAL_CELLS or apart <= MUCH_MORE:
        return []
    limits, _ = sizing_defaults(domain.report, {"cells": settings.cells})
    if settings.smallest == limits["smallest"] or settings.largest == limits["largest"]:
        return []
    return [
        Finding(
            "cells-overruled",
            "caution",
            f"{settings.cells:,} cells are aimed at, but smallest and largest edge are given too, "
            f"so that the number has no say: about {cells:,.0f} are forecast.",
            advice="Take a limit away, so that it follows from the number.",
            repairs=[
                offer(
                    "Let the limits follow from the number",
                    "set",
                    stage="sizing",
                    settings={"smallest": None, "largest": None},
                )
            ],
        )
    ]


def _refuse(settings: Sizing, domain: Product, cells: float) -> None:
    fit = settings.largest * (cells * BYTES_PER_CELL / MEMORY_LIMIT) ** (1 / 3) * 1.1
    raise SettingRejected(
        "sizing.largest",
        f"These sizes ask for about {cells:,.0f} cells, more than fit in memory. "
        f"A largest edge of {fit:.2g} {domain.report['unit']} would fit.",
    )
