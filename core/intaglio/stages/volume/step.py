"""Filling the zones, between their layers, with tetrahedra, and proving the result."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected, StepFailed
from intaglio.findings import PLACES, Finding
from intaglio.mesh.covering import surface_findings
from intaglio.mesh.mesh import Mesh
from intaglio.mesh.parting import parted_along
from intaglio.mesh.storing import mesh_arrays
from intaglio.parts.model import Product
from intaglio.quality.cells import Measured, measure
from intaglio.quality.report import mesh_findings, report
from intaglio.quality.statistics import histograms
from intaglio.quality.values import Values
from intaglio.sizing.octree import SizeField, sizes
from intaglio.stages.domain.faces import back_faces
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.sizing.step import field_of
from intaglio.stages.stage import Progress
from intaglio.stages.volume.dividing import divided_mesh, meant
from intaglio.stages.volume.filling import Cells, filled, filled_around, zones_of
from intaglio.stages.volume.meshes import volume_mesh
from intaglio.stages.volume.opened import opened_picture
from intaglio.stages.volume.report import VolumeReport
from intaglio.stages.volume.settings import VolumeMesh

# layers that make a mesh invalid are left out around the places, in so many tries
_TRIES = 4
# what is found in filling stays true when layers are divided again
_OF_FILLING = ("layers-for-core",)


def _lowered(places: NDArray[np.float64]) -> list[Finding]:
    """Layers that the core asked for to be lower than what Layers tells."""
    if not len(places):
        return []
    return [
        Finding(
            "layers-for-core",
            "note",
            "Layers are lower than Layers tells where the core could not have been filled else.",
            len(places),
            places[:: max(1, len(places) // PLACES)][:PLACES].tolist(),
            "Shorter edges there, or lower layers, leave the core more room.",
        )
    ]


def _as_given(mesh: Mesh, points: NDArray[np.float64], given: NDArray[np.int32]) -> Mesh:
    """The mesh with the surface's points first, so that it can be held against the surface."""
    n = len(points)
    number = np.where(given >= 0, given, n + np.arange(len(given))).astype(np.int32)
    return replace(
        mesh,
        points=np.concatenate([points, mesh.points]),
        face_nodes=number[mesh.face_nodes],
    )


def _proved(
    cells: Cells,
    given: NDArray[np.int32] | None,
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    region: NDArray[np.int32],
    sides: NDArray[np.int32],
    back: NDArray[np.int32],
) -> tuple[Mesh, Measured, list[Finding]]:
    """The mesh cut open along its sheets, measured, and what is found in it; given (n,): the
    surface's node that each of its points is, if layers stand on the surface."""
    mesh, origin = cells.mesh, None
    on_sheet = cells.surface.of_patches(np.flatnonzero(back >= 0))
    if len(on_sheet.patch):
        mesh, origin = parted_along(mesh, on_sheet, back[on_sheet.patch])
    measured = measure(mesh)
    seen = mesh
    if given is not None:
        seen = _as_given(mesh, points, given if origin is None else given[origin])
        origin = None if origin is None else np.arange(len(seen.points))
    found = surface_findings(seen, points, triangles, region, sides[:, 0], origin, back)
    return mesh, measured, found + mesh_findings(mesh, measured) + _lowered(cells.lowered)


def field_used(surface: Product, sizing: Product) -> SizeField:
    """The size field that the cells follow: where the surface was mended it has one of its own."""
    return field_of(surface if "child" in surface.arrays else sizing)


def volume_step(
    settings: VolumeMesh,
    surface: Product,
    layers: Product,
    lowest: float,
    sizing: Product,
    domain: Product,
    progress: Progress,
) -> Product:
    """Fill what the layers leave of the surface with tetrahedra and prove the result. lowest: the
    share to which layers may be lowered."""
    a = surface.arrays
    points, triangles = np.ascontiguousarray(a["points"]), np.ascontiguousarray(a["triangles"])
    region = np.ascontiguousarray(a["region"])
    sides = sides_of(domain.report)
    field = field_used(surface, sizing)

    def tell(share: float, doing: str) -> None:
        progress(0.9 * share, doing)

    back = back_faces(domain.report)
    avoided: list[list[list[float]]] = []
    for _ in range(_TRIES):
        given = None
        if "row_of_face" in layers.arrays:
            cells, given = filled_around(
                settings, surface, layers, lowest, field, domain, avoided, tell
            )
        else:
            cells = filled(settings, surface, field, domain, tell)
        progress(0.92, "checking every cell")
        mesh, measured, found = _proved(cells, given, points, triangles, region, sides, back)
        errors = [f for f in found if f.level == "error"]
        places = [p for f in errors for p in f.places]
        if given is None or not places:
            break
        # better no layers there than no mesh
        avoided.append(places)
    if errors:
        raise StepFailed(
            errors[0].code,
            "The filled mesh is not valid: " + " ".join(f.message for f in errors),
            places[:20],
        )
    enclosed = dict(
        zip([zone.name for zone in zones_of(domain)], surface.report["zone_volumes"], strict=True)
    )
    return _finished(
        mesh,
        measured,
        field,
        found,
        cells.layer if given is not None else None,
        cells.splits,
        cells.swaps,
        [face["id"] for face in domain.report["faces"]],
        enclosed,
    )


def _finished(
    mesh: Mesh,
    measured: Measured,
    field: SizeField,
    found: list[Finding],
    layer: NDArray[np.int32] | None,
    splits: int,
    swaps: int,
    faces: list[str],
    enclosed: dict[str, float],
) -> Product:
    """The product of a mesh that is proved; enclosed: the volume that each zone is to fill, as far
    as no diagonal was changed."""
    values = Values(mesh, measured, asked=sizes(field, measured.centroid))
    product = volume_product(values, found, faces, layer, splits, swaps)
    for zone, volume in enclosed.items():
        inside = product.report["zones"][zone]["volume"]
        if abs(inside - volume) > 1e-9 * volume and not swaps:
            raise StepFailed("volume-mismatch", "The cells do not fill exactly the surface mesh.")
    return product


def volume_product(
    values: Values,
    found: list[Finding],
    faces: list[str],
    layer: NDArray[np.int32] | None = None,
    splits: int = 0,
    swaps: int = 0,
) -> Product:
    """The mesh with its report, metrics and picture; faces: ids of what its patches are; layer (c,)
    of each cell."""
    mesh, measured = values.mesh, values.measured
    total = report(values, found)
    data: VolumeReport = {
        "unit": mesh.unit,
        "cells": total["cells"],
        "points": total["points"],
        "cells_by_shape": total["cells_by_shape"],
        "faces": faces,
        "volume": sum(zone["volume"] for zone in total["zones"].values()),
        "zones": total["zones"],
        "quality": total["quality"],
        "worst": total["worst"],
        "histograms": histograms(values),
        "splits": splits,
        "swaps": swaps,
        "layer_cells": 0 if layer is None else int((layer > 0).sum()),
        "findings": total["findings"],
    }
    across = float(measured.centroid[:, 1] @ measured.volume / measured.volume.sum())
    opened = opened_picture(mesh, measured.centroid, across)
    arrays = {**mesh_arrays(mesh), "picture": np.frombuffer(opened, np.uint8)}
    if layer is not None:
        arrays["layer"] = layer
    if "size_ratio" in values.known():
        arrays["size_ratio"] = values.of_cells("size_ratio").astype(np.float32)
    return Product(arrays, data)


def faces_meant(rows: list[dict[str, Any]], patches: Mapping[str, Any]) -> list[list[str]]:
    """The faces whose layers each row divides again, by a report of Patches."""
    told = [(p["name"], p["kind"]) for p in patches["patches"]]
    return [
        [face for k in meant(row, told) for face in patches["patches"][k]["faces"]] for row in rows
    ]


def divided_step(
    rows: list[dict[str, Any]],
    base: Product,
    patches: Product,
    field: SizeField,
    progress: Progress,
) -> Product:
    """The product with layers divided again as rows ask for, proved once more. Raises StepFailed
    where the result would not be valid, or layers cannot be divided so."""
    progress(0.1, "dividing layers")
    mesh = volume_mesh(base)
    number = {patch.name: k for k, patch in enumerate(mesh.patches)}
    own = [[number[face] for face in faces] for faces in faces_meant(rows, patches.report)]
    try:
        made = divided_mesh(mesh, rows, own, base.arrays.get("layer"))
    except FileRejected as problem:
        raise StepFailed(problem.code, str(problem)) from problem
    progress(0.5, "checking every cell")
    measured = measure(made.mesh)
    kept = [Finding(**f) for f in base.report["findings"] if f["code"] in _OF_FILLING]
    found = mesh_findings(made.mesh, measured) + kept + made.findings
    errors = [f for f in found if f.level == "error"]
    if errors:
        raise StepFailed(
            errors[0].code,
            "With its layers divided again the mesh is not valid: "
            + " ".join(f.message for f in errors),
            [p for f in errors for p in f.places][:20],
        )
    return _finished(
        made.mesh,
        measured,
        field,
        found,
        made.layer,
        base.report["splits"],
        base.report["swaps"],
        base.report["faces"],
        {name: zone["volume"] for name, zone in base.report["zones"].items()},
    )
