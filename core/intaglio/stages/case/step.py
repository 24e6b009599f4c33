"""Checking mesh and case together and writing every file of the export."""

import io
import json
import zipfile
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np
import yaml

from intaglio.case.checks import checks, yplus
from intaglio.case.document import case_document
from intaglio.case.measuring import first_distances, zone_widths, zones_of_patches
from intaglio.case.setup import metres, set_up
from intaglio.errors import StepFailed
from intaglio.findings import Finding
from intaglio.formats.registry import MESH_FORMATS
from intaglio.formats.stl import patch_files
from intaglio.parts.model import Product
from intaglio.quality.limits import judged
from intaglio.quality.report import mesh_findings, patch_rows, report
from intaglio.quality.values import Values, cell_values
from intaglio.stages.case.foretold import inflow_rows, material_rows
from intaglio.stages.case.readme import export_readme
from intaglio.stages.case.report import CaseReport
from intaglio.stages.case.settings import Case
from intaglio.stages.stage import Progress
from intaglio.stages.volume import named_mesh
from intaglio.stages.volume.settings import VolumeMesh

# metrics written with the cells
WRITTEN = (
    "equiangle_skewness",
    "non_orthogonality",
    "smallest_dihedral",
    "scaled_jacobian",
    "volume",
    "volume_ratio",
)


def case_step(
    settings: Case,
    name: str,
    volume_product: Product,
    patches: Product,
    limits: VolumeMesh,
    steps: list[dict[str, Any]],
    progress: Progress,
) -> Product:
    """Check mesh and case together and write every file of the export; limits: those that the mesh
    is judged by."""
    broken = [f for f in patches.report["findings"] if f["level"] == "error"]
    if broken:
        raise StepFailed(
            "patches",
            "The patches are not settled: " + " ".join(f["message"] for f in broken),
        )
    progress(0.05, "naming the boundary")
    mesh = named_mesh(volume_product, patches)
    rows = patch_rows(mesh)
    ratio = volume_product.arrays.get("size_ratio")
    values = Values(mesh, size_ratio=None if ratio is None else ratio.astype(float))
    sides = zones_of_patches(mesh)
    bounded = [{**row, "zones": own} for row, own in zip(rows, sides, strict=True) if row["faces"]]
    given = asdict(settings)
    case = set_up(given, {z.name: z.kind for z in mesh.zones}, bounded, mesh.unit)
    scale = metres(mesh.unit)
    near = {name: scale * away for name, away in first_distances(mesh).items()}
    found = mesh_findings(mesh, values.measured)
    for row in rows:
        if not row["faces"]:
            found.append(
                Finding("empty-patch", "caution", f"Patch {row['name']} has no faces in the mesh.")
            )
    told = report(values, found, steps)
    widths = {z: scale * w for z, w in zone_widths(told["zones"], bounded).items()}
    of_case = checks(case, given, near, widths)
    document = case_document(case, {r["name"]: r["faces"] for r in rows}, name)
    full = judged(told, limits.limits, limits.own_limits)
    full["findings"] += [f.as_dict() for f in of_case]
    if not full["valid"]:
        raise StepFailed("invalid", "The mesh is not valid: " + " ".join(f.message for f in found))
    files: dict[str, bytes] = {}
    metrics = cell_values(values, WRITTEN)
    for k, known in enumerate(MESH_FORMATS):
        file = f"mesh{known.suffixes[0]}"
        progress(0.3 + 0.4 * k / len(MESH_FORMATS), f"writing {file}")
        files[file] = known.write(mesh, metrics, case)
    progress(0.7, "writing patches")
    files |= patch_files(mesh)
    files["case.yaml"] = yaml.safe_dump(document, sort_keys=False, allow_unicode=True).encode()
    files["report.json"] = json.dumps(full, indent=1).encode()
    files["README.txt"] = export_readme(name, full, document).encode()
    progress(0.8, "packing")
    data: CaseReport = {
        "unit": mesh.unit,
        "cells": full["cells"],
        "patches": rows,
        "inlets": inflow_rows(case),
        "materials": material_rows(case),
        "yplus": yplus(case, near, widths),
        "valid": full["valid"],
        "ready": not any(f.level == "error" for f in of_case),
        "files": {k: len(v) for k, v in files.items()},
        "findings": full["findings"],
    }
    return Product({"zip": np.frombuffer(zipped(files), np.uint8)}, data)


def zipped(files: Mapping[str, bytes]) -> bytes:
    """One zip file with these files, in a fixed order and with a fixed date."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for path, data in files.items():
            info = zipfile.ZipInfo(path, (2026, 1, 1, 0, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED
            info.external_attr = 0o644 << 16
            archive.writestr(info, data)
    return out.getvalue()
