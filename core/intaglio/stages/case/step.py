"""Checking mesh and case together and writing every file of the export."""

import tempfile
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.case.checks import checks
from intaglio.case.document import case_document
from intaglio.case.measuring import first_distances, patch_faces, zone_widths, zones_of_patches
from intaglio.case.passing import yplus
from intaglio.case.room import room_findings
from intaglio.case.setup import CaseSetup, metres, set_up
from intaglio.errors import StepFailed
from intaglio.findings import Finding
from intaglio.handover.parts import CHOSEN, Meant
from intaglio.handover.writing import write_parts
from intaglio.mesh.in_unit import in_unit
from intaglio.mesh.numbering import narrow_order, renumbered
from intaglio.parts.kind import Arrays
from intaglio.parts.model import Product
from intaglio.quality.limits import judged, limits_in_unit
from intaglio.quality.report import MeshPatchRow, mesh_findings, patch_rows, report
from intaglio.quality.values import Values, cell_values
from intaglio.stages.case.foretold import inflow_rows, material_rows
from intaglio.stages.case.found_along import found_along, found_here, unsettled
from intaglio.stages.case.readme import export_readme
from intaglio.stages.case.report import CaseReport
from intaglio.stages.case.settings import Case
from intaglio.stages.stage import Progress, Reports
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
    reports: Reports,
    progress: Progress,
) -> Product:
    """Check mesh and case together and write every file of the export; limits: those that the mesh
    is judged by; reports: those of the stages before."""
    broken = [f for f in patches.report["findings"] if f["level"] == "error"]
    if broken:
        raise StepFailed(
            "patches",
            "The patches are not settled: " + " ".join(f["message"] for f in broken),
        )
    progress(0.05, "naming the boundary")
    mesh = named_mesh(volume_product, patches)
    ratio = volume_product.arrays.get("size_ratio")
    if settings.numbering == "narrow":
        progress(0.08, "numbering the cells")
        order = narrow_order(mesh)
        mesh, ratio = renumbered(mesh, order), None if ratio is None else ratio[order]
    rows = patch_rows(mesh)
    ratio = None if ratio is None else ratio.astype(float)
    values = Values(mesh, size_ratio=ratio)
    sides = zones_of_patches(mesh)
    bounded = [
        {**row, "zones": own, "facing": patch_faces(mesh, k).vectors.sum(axis=0).tolist()}
        for k, (row, own) in enumerate(zip(rows, sides, strict=True))
        if row["faces"]
    ]
    given = asdict(settings)
    case = set_up(given, {z.name: z.kind for z in mesh.zones}, bounded, mesh.unit)
    scale = metres(mesh.unit)
    steps = [report["step"] for report in reports.values() if "step" in report]
    near = {name: scale * away for name, away in first_distances(mesh).items()}
    progress(0.1, "checking mesh and case")

    def judge(values: Values, own_limits: list[dict[str, Any]]) -> dict[str, Any]:
        found = mesh_findings(values.mesh, values.measured) + _empty(rows)
        return judged(report(values, found, steps), limits.limits, own_limits)

    full = judge(values, limits.own_limits)
    if not full["valid"]:
        wrong = [f["message"] for f in full["findings"] if f["level"] == "error"]
        raise StepFailed("invalid", "The mesh is not valid: " + " ".join(wrong))
    widths = {z: scale * w for z, w in zone_widths(full["zones"], bounded).items()}
    of_case = checks(case, given, near, widths) + room_findings(mesh, case)
    told = [f.as_dict() for f in [*unsettled(reports), *of_case]]
    of_files, unit = full, mesh.unit if settings.length == "model" else settings.length
    if unit != mesh.unit:
        # all that the files tell is in their unit
        values = Values(in_unit(mesh, unit), size_ratio=ratio)
        of_files = judge(values, limits_in_unit(limits.own_limits, mesh.unit, unit))
    ready = not any(row["level"] == "error" for row in told)
    of_all = found_along(reports, of_files["findings"], told, scale / metres(unit))
    meant = _meant(
        name,
        values,
        replace(case, unit=unit),
        {**of_files, "ready": ready, "findings": of_all},
        settings.files,
    )
    with tempfile.TemporaryDirectory(prefix="intaglio-") as folder:
        sizes = write_parts(
            meant,
            settings.files,
            Path(folder),
            lambda share, doing: progress(0.4 + 0.6 * share, doing),
        )
        # the files stay readable without a name, and are never all in memory
        arrays: Arrays = {path: np.memmap(Path(folder) / path, np.uint8, "r") for path in sizes}
    data: CaseReport = {
        "unit": mesh.unit,
        "cells": full["cells"],
        "patches": rows,
        "inlets": inflow_rows(case),
        "materials": material_rows(case),
        "yplus": yplus(case, near, widths),
        "valid": full["valid"],
        "ready": ready,
        "files": sizes,
        "findings": [*found_here(reports, full["findings"]), *told],
    }
    return Product(arrays, data)


def _empty(rows: list[MeshPatchRow]) -> list[Finding]:
    return [
        Finding("empty-patch", "caution", f"Patch {row['name']} has no faces in the mesh.")
        for row in rows
        if not row["faces"]
    ]


def _meant(
    name: str, values: Values, case: CaseSetup, full: dict[str, Any], chosen: list[str]
) -> Meant:
    """What is handed over; full: the report of the mesh with all that was found."""
    file = next((p.file for p in CHOSEN if p.key in chosen), "")
    faces = {patch: row["faces"] for patch, row in full["patches"].items()}
    document = case_document(case, faces, name, file)
    words = export_readme(name, full, document, chosen)
    return Meant(values.mesh, cell_values(values, WRITTEN), case, document, full, words)
