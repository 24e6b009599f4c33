"""Making the mesh by its way, and proving the result."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected, StepFailed
from intaglio.findings import Finding
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
from intaglio.stages.stage import Progress, Run
from intaglio.stages.volume.dividing import divided_mesh, meant
from intaglio.stages.volume.expecting import AsLarge
from intaglio.stages.volume.meshes import volume_mesh
from intaglio.stages.volume.opened import opened_picture
from intaglio.stages.volume.report import VolumeReport
from intaglio.stages.volume.way import Avoided, Made
from intaglio.stages.volume.ways import way_called

# layers that make a mesh invalid are left out around the places, in so many tries
_TRIES = 4
# what is found in filling stays true when layers are divided again
_OF_FILLING = ("layers-for-core",)


def _proved(made: Made, back: NDArray[np.int32]) -> tuple[Mesh, Measured, list[Finding]]:
    """The mesh cut open along its sheets, measured, and what is found in it; back (patches,): the
    patch on the other side of each sheet, or -1."""
    mesh, origin = made.mesh, None
    if made.sheets is not None and len(made.sheets.patch):
        mesh, origin = parted_along(mesh, made.sheets, back[made.sheets.patch])
    measured = measure(mesh)
    found = made.expected.findings(mesh, origin, back)
    return mesh, measured, found + mesh_findings(mesh, measured) + made.findings


def volume_step(run: Run) -> Product:
    """The mesh as its way makes it, proved against what the way says of it. Raises StepFailed."""
    domain, way = run.product("domain"), way_called(run.settings.cells)
    filling = replace(run, tell=lambda share, doing: run.tell(0.9 * share, doing))
    back = back_faces(domain.report)
    avoided: Avoided = []
    for _ in range(_TRIES):
        made = way.make(filling, avoided)
        run.tell(0.92, "checking every cell")
        mesh, measured, found = _proved(made, back)
        errors = [f for f in found if f.level == "error"]
        places = [p for f in errors for p in f.places]
        if not made.again or not places:
            break
        avoided.append(places)
    if errors:
        raise StepFailed(
            errors[0].code,
            "The filled mesh is not valid: " + " ".join(f.message for f in errors),
            places[:20],
        )
    faces = [face["id"] for face in domain.report["faces"]]
    return _finished(mesh, measured, found, made, faces)


def _finished(
    mesh: Mesh, measured: Measured, found: list[Finding], made: Made, faces: list[str]
) -> Product:
    """The product of a mesh that is proved, but for the volumes of its zones."""
    asked = None if made.sizes is None else sizes(made.sizes, measured.centroid)
    values = Values(mesh, measured, asked=asked)
    product = volume_product(values, found, faces, made.layer, made.splits, made.swaps)
    for zone, told in product.report["zones"].items():
        if not made.expected.fills(zone, told["volume"]):
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
    field: SizeField | None,
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
    # the core stays as it is, so that zones are as large as they were
    volumes = {name: zone["volume"] for name, zone in base.report["zones"].items()}
    splits, swaps = base.report["splits"], base.report["swaps"]
    told = Made(
        made.mesh,
        AsLarge(volumes, swaps == 0),
        layer=made.layer,
        sizes=field,
        splits=splits,
        swaps=swaps,
    )
    return _finished(made.mesh, measured, found, told, base.report["faces"])
