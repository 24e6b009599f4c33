"""Volume: filling the zones with tetrahedra and proving the result."""

from dataclasses import dataclass
from typing import NotRequired

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.mesh.building import Polygons, tet_mesh, with_patches
from intaglio.mesh.covering import surface_findings
from intaglio.mesh.mesh import Mesh, Patch, Zone, fan, polygon_edges
from intaglio.mesh.parting import parted_along
from intaglio.mesh.quality import Measured, Spread, cell_metrics, measure
from intaglio.mesh.report import Histogram, MeshZoneRow, histograms, mesh_findings, report
from intaglio.mesh.slices import outer_faces
from intaglio.mesh.storing import mesh_arrays, stored_mesh
from intaglio.parts.model import Product
from intaglio.parts.picture import picture
from intaglio.settings.blanks import blank
from intaglio.sizing.forecast import BYTES_PER_CELL, volume_seconds
from intaglio.stages.domain.faces import back_faces
from intaglio.stages.reports import StageReport
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.sizing.step import MEMORY_LIMIT, field_of
from intaglio.stages.stage import Cost, Progress, Reports, Run, Sentence, Stage
from intaglio.volume.fill import fill


@dataclass(frozen=True)
class VolumeMesh:
    target: float = blank(
        "angle",
        "aim for the smallest dihedral angle",
        "18° to 25° suits solvers; beyond 30° little can be gained.",
        25.0,
        unit="°",
        least=0.0,
        most=40.0,
    )
    passes: int = blank(
        "integer",
        "improvement passes",
        "Eight reach the figures on ordinary parts.",
        8,
        least=0,
        most=60,
    )


class VolumeReport(StageReport):
    """The mesh: counts, zones, quality; splits and swaps that recovering the surface took.

    Products of version 0.3 do not tell the cells by shape, nor the faces.
    """

    unit: str
    cells: int
    points: int
    cells_by_shape: NotRequired[dict[str, int]]
    faces: NotRequired[list[str]]
    volume: float
    zones: dict[str, MeshZoneRow]
    quality: dict[str, Spread]
    histograms: dict[str, Histogram]
    splits: int
    swaps: int


def _opened(mesh: Mesh, measured: Measured) -> NDArray[np.uint8]:
    """Picture of the cells behind a plane through their middle, so that the inside shows."""
    across = float(measured.centroid[:, 1] @ measured.volume / measured.volume.sum())
    outline = outer_faces(mesh, np.flatnonzero(measured.centroid[:, 1] > across))
    triangles, _ = fan(outline.start, outline.nodes)
    drawn = picture(
        mesh.points,
        triangles,
        np.zeros((0, 2, 3)),
        mesh.points[polygon_edges(outline.start, outline.nodes)],
    )
    return np.frombuffer(drawn, np.uint8)


def volume_step(
    settings: VolumeMesh, surface: Product, sizing: Product, domain: Product, progress: Progress
) -> Product:
    """Fill the surface with tetrahedra and prove the result."""
    a = surface.arrays
    points, triangles = np.ascontiguousarray(a["points"]), np.ascontiguousarray(a["triangles"])
    region = np.ascontiguousarray(a["region"])
    sides = sides_of(domain.report)
    filling = fill(
        points,
        triangles,
        region,
        # where the surface was mended it has a field of its own
        field_of(surface if "child" in a else sizing),
        lambda share, doing: progress(0.9 * share, doing),
        max_cells=int(MEMORY_LIMIT / BYTES_PER_CELL),
        improve_passes=settings.passes,
        target=settings.target,
        sides=sides[region],
    )
    progress(0.92, "checking every cell")
    unit = surface.report["unit"]
    zones = tuple(Zone(z["name"], z["kind"]) for z in domain.report["zones"])
    mesh = tet_mesh(
        filling.points,
        filling.tets,
        filling.triangles,
        region[filling.origin],
        tuple(Patch(face["id"], "wall") for face in domain.report["faces"]),
        filling.zone,
        zones,
        unit=unit,
    )
    back = back_faces(domain.report)
    origin = None
    on_sheet = np.flatnonzero(back[region[filling.origin]] >= 0)
    if len(on_sheet):
        own = region[filling.origin[on_sheet]]
        mesh, origin = parted_along(
            mesh, Polygons.of_rows(filling.triangles[on_sheet], own), back[own]
        )
    measured = measure(mesh)
    found = surface_findings(mesh, points, triangles, region, sides[:, 0], origin, back)
    found += mesh_findings(mesh, measured)
    errors = [f for f in found if f.level == "error"]
    if errors:
        raise StepFailed(
            errors[0].code,
            "The filled mesh is not valid: " + " ".join(f.message for f in errors),
            [p for f in errors for p in f.places][:20],
        )
    total = report(mesh, found, measured)
    metrics = cell_metrics(mesh, measured)
    filled = {name: row["volume"] for name, row in total["zones"].items()}
    for zone, enclosed in zip(zones, surface.report["zone_volumes"], strict=True):
        if abs(filled[zone.name] - enclosed) > 1e-9 * enclosed and not filling.swaps:
            raise StepFailed("volume-mismatch", "The cells do not fill exactly the surface mesh.")
    data: VolumeReport = {
        "unit": unit,
        "cells": total["cells"],
        "points": total["points"],
        "cells_by_shape": total["cells_by_shape"],
        "faces": [face["id"] for face in domain.report["faces"]],
        "volume": sum(filled.values()),
        "zones": total["zones"],
        "quality": total["quality"],
        "histograms": histograms(metrics),
        "splits": filling.splits,
        "swaps": filling.swaps,
        "findings": total["findings"],
    }
    return Product(
        {
            **mesh_arrays(mesh),
            "picture": _opened(mesh, measured),
            **{f"metric_{k}": v.astype(np.float32) for k, v in metrics.items()},
        },
        data,
    )


def volume_mesh(product: Product) -> Mesh:
    """The mesh of a volume product, its patches being the faces of the domain."""
    zones = tuple(Zone(name, z["kind"]) for name, z in product.report["zones"].items())
    patches = tuple(Patch(name, "wall") for name in product.report.get("faces", []))
    return stored_mesh(product.arrays, patches, zones, product.report["unit"])


def named_mesh(volume_product: Product, patches: Product) -> Mesh:
    """The volume mesh with the patches' names on its boundary."""
    mesh = volume_mesh(volume_product)
    of_face = patches.arrays["patch_of_face"].astype(np.int32)
    patch = np.where(mesh.patch >= 0, of_face[mesh.patch], -1).astype(np.int32)
    named = tuple(Patch(p["name"], p["kind"]) for p in patches.report["patches"])
    return with_patches(mesh, patch, named)


def _run(run: Run) -> Product:
    return volume_step(
        run.settings, run.product("surface"), run.product("sizing"), run.product("domain"), run.tell
    )


def _cost(reports: Reports) -> Cost:
    sizing = reports.get("sizing")
    if not sizing:
        return Cost(25.0)
    expected = sizing["forecast"]
    return Cost(volume_seconds(expected["cells"]), expected["memory"])


STAGE = Stage(
    "volume",
    "Volume",
    VolumeMesh,
    VolumeReport,
    (
        Sentence(
            "Fill the zones with tetrahedra, then raise the worst of them in {passes} passes until "
            "none has an angle under {target}."
        ),
    ),
    "Fill the volume",
    ("surface", "sizing"),
    run=_run,
    defaults=lambda reports, given: (
        {"passes": 12, "target": 25.0},
        {
            "passes": "Enough for ordinary parts.",
            "target": "Reached on ordinary parts; sharp corners may forbid it.",
        },
    ),
    cost=_cost,
    usual=lambda counts: volume_seconds(counts["cells"]),
    version=3,
)
