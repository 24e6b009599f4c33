"""Surface: meshing the surface of the fluid."""

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.facets import (
    edge_uses,
    enclosed_volume,
    unclosed_edges,
    zone_surfaces,
)
from intaglio.facets.surface_mesh import mesh_surface
from intaglio.findings import Finding
from intaglio.mesh.quality import Spread, summary, triangle_angles
from intaglio.numeric.intersections import crossing_triangles
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, model_of
from intaglio.parts.picture import edge_segments, picture
from intaglio.settings.blanks import blank
from intaglio.sizing.forecast import surface_seconds
from intaglio.sizing.octree import sizes
from intaglio.stages.reports import StageReport
from intaglio.stages.sizing.local_sizes import resolved
from intaglio.stages.sizing.seams import walk
from intaglio.stages.sizing.settings import Sizing
from intaglio.stages.sizing.step import field_of, fluid_facets
from intaglio.stages.stage import Cost, Progress, Reports, Run, Sentence, Stage


@dataclass(frozen=True)
class SurfaceMesh:
    passes: int = blank(
        "integer",
        "passes",
        "Nine settle nearly every surface; more only polish.",
        9,
        least=4,
        most=40,
    )


class SurfaceReport(StageReport):
    """The surface mesh: its counts, what it encloses against the geometry, angles and lengths."""

    unit: str
    triangles: int
    points: int
    volume: float
    zone_volumes: list[float]
    volume_error: float
    quality: dict[str, Spread]


def surface_step(
    settings: SurfaceMesh,
    sizing_settings: Sizing,
    domain: Product,
    sizing: Product,
    patches: Product,
    progress: Progress,
) -> Product:
    """Mesh the fluid's surface; refuse one that is open or meets itself."""
    model = model_of(domain)
    facets, curves = fluid_facets(model, sizing_settings)
    field = field_of(sizing)

    def shares(share: float) -> None:
        progress(0.9 * share, "splitting, swapping, smoothing")

    local, _ = resolved(sizing_settings, domain.report, patches.report, facets, curves)
    assert local.sides is not None
    # a seam between patches has a meaning
    seam = sizing.arrays["seam"].astype(bool)
    parted = _parted(sizing.report["seams"], patches.arrays["patch_of_face"])
    seam[np.flatnonzero(seam)[parted]] = False
    surface = mesh_surface(
        facets,
        curves,
        field,
        shares,
        settings.passes,
        local.counted,
        walk(sizing_settings, facets, curves, local, seam),
        partial(kind_of(model).settled, model, curves),
    )
    progress(0.92, "checking")
    sides = local.sides[surface.region]
    gaps = unclosed_edges(surface.triangles, sides)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The surface mesh has {len(gaps)} free edges.",
            surface.points[gaps].mean(axis=1)[:20].tolist(),
        )
    crossing = crossing_triangles(surface.points, surface.triangles)
    if len(crossing):
        centre = surface.points[surface.triangles[crossing]].mean(axis=1)
        raise StepFailed(
            "surface-crosses",
            f"{len(crossing)} triangles of the surface mesh cross others: walls lie closer "
            "together than the edges are long. Lower the smallest edge, or raise the cells "
            "across a gap.",
            centre[:20].tolist(),
        )
    angles = triangle_angles(surface.points, surface.triangles)
    pairs, _, _ = edge_uses(surface.triangles)
    length = np.linalg.norm(surface.points[pairs[:, 0]] - surface.points[pairs[:, 1]], axis=1)
    wanted = sizes(field, surface.points[pairs].mean(axis=1))
    found = []
    thin = np.flatnonzero(angles.min(axis=1) < 10)
    if len(thin):
        found.append(
            Finding(
                "thin-triangles",
                "caution",
                "Triangles with an angle under 10°.",
                len(thin),
                surface.points[surface.triangles[thin[:20]]].mean(axis=1).tolist(),
                "The geometry has a sliver or a sharp tip there, or the edges are too long for it.",
            )
        )
    enclosed = [
        enclosed_volume(surface.points, own) for own in zone_surfaces(surface.triangles, sides)
    ]
    data: SurfaceReport = {
        "unit": domain.report["unit"],
        "triangles": len(surface.triangles),
        "points": len(surface.points),
        "volume": sum(enclosed),
        "zone_volumes": enclosed,
        "volume_error": sum(enclosed) / domain.report["volume"] - 1.0,
        "quality": {
            "smallest_angle": summary(angles.min(axis=1)),
            "largest_angle": summary(angles.max(axis=1)),
            "edge_ratio": summary(length / wanted),
        },
        "findings": [f.as_dict() for f in found],
    }
    return Product(
        {
            "points": surface.points,
            "triangles": surface.triangles,
            "region": surface.region,
            "angle": angles.min(axis=1).astype(np.float32),
            "picture": _mesh_picture(
                surface.points, surface.triangles, surface.points[surface.edges]
            ),
        },
        data,
    )


def _mesh_picture(
    points: NDArray[np.float64], triangles: NDArray[np.int32], strong: NDArray[np.float64]
) -> NDArray[np.uint8]:
    return np.frombuffer(
        picture(points, triangles, strong, edge_segments(points, triangles)), np.uint8
    )


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


def _parted(pairs: list[list[int]], patch_of_face: NDArray[np.int32]) -> NDArray[np.int64]:
    """Those of some seams, by their faces (k, 2), whose faces are of two patches."""
    own = patch_of_face[np.array(pairs, np.int64).reshape(-1, 2)]
    return np.flatnonzero(own[:, 0] != own[:, 1])


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
    return _parted(sizing["seams"], patch).tolist()


STAGE = Stage(
    "surface",
    "Surface",
    SurfaceMesh,
    SurfaceReport,
    (
        Sentence(
            "Mesh the surface of the fluid in {passes} passes of splitting, swapping and smoothing."
        ),
    ),
    "Mesh the surface",
    ("domain", "sizing", "patches"),
    run=_run,
    defaults=lambda reports, given: (
        {"passes": 9},
        {"passes": "Enough for nearly every surface."},
    ),
    cost=_cost,
    version=3,
    enters=lambda settings: ("domain", "sizing"),
    also=_parted_seams,
)
