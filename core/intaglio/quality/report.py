"""The report of a mesh: counts, zones, patches, quality, validity, as documented in docs/."""

from typing import Any

import numpy as np
from typing_extensions import TypedDict

from intaglio.findings import PLACES, Finding, two_digits
from intaglio.mesh.cells import POLYHEDRON, counts_by_shape
from intaglio.mesh.mesh import Mesh, fan, following, rows
from intaglio.mesh.periodic import unpaired
from intaglio.mesh.validity import check
from intaglio.quality.cells import Measured
from intaglio.quality.forced import CORNER, EDGE, forced_cells, heights, spanning_cells
from intaglio.quality.statistics import quality_summary
from intaglio.quality.values import Values
from intaglio.quality.worst import tails


class MeshPatchRow(TypedDict):
    """A patch of the mesh: faces, area (unit²), length of its rim (unit)."""

    name: str
    kind: str
    faces: int
    area: float
    perimeter: float


class MeshZoneRow(TypedDict):
    """A zone of the mesh."""

    kind: str
    cells: int
    volume: float


def patch_rows(mesh: Mesh) -> list[MeshPatchRow]:
    """A row for each patch."""
    out: list[MeshPatchRow] = []
    for k, patch in enumerate(mesh.patches):
        start, nodes = rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(mesh.patch == k))
        p = mesh.points[fan(start, nodes)[0]]
        area = 0.5 * float(
            np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum()
        )
        out.append(
            {
                "name": patch.name,
                "kind": patch.kind,
                "faces": len(start) - 1,
                "area": area,
                "perimeter": _rim(mesh, start, nodes),
            }
        )
    return out


def _rim(mesh: Mesh, start: np.ndarray, nodes: np.ndarray) -> float:
    """Length of the edges that only one of the polygons has."""
    after = following(start, nodes)
    pairs = np.sort(np.stack([nodes, after], axis=1), axis=1)
    edges, count = np.unique(pairs, axis=0, return_counts=True)
    rim = edges[count == 1]
    return float(np.linalg.norm(mesh.points[rim[:, 0]] - mesh.points[rim[:, 1]], axis=1).sum())


def read_otherwise(mesh: Mesh) -> list[Finding]:
    """A note for each thing that was read otherwise than the file has it."""
    return [Finding("read-otherwise", "note", words) for words in mesh.notes]


def mesh_findings(mesh: Mesh, measured: Measured) -> list[Finding]:
    """Errors of validity; else what makes cells bad that no mesher could avoid. How many cells are
    beyond limits follows from the report (`limits`)."""
    found = check(mesh)
    if found:
        return found
    # faces of a polyhedron may lie in one plane, and polygons may have nodes in line
    standard = mesh.shape != POLYHEDRON
    skewed = (measured.skewness > 0.85) & standard
    bad = np.flatnonzero(
        skewed | (measured.least_dihedral < 12.0) | ((measured.largest_dihedral > 160.0) & standard)
    )
    if not len(bad):
        return unpaired(mesh)
    found, forced = _forced_findings(mesh, bad)
    avoidable = np.ones(mesh.cells, bool)
    avoidable[forced] = False
    squeezed = spanning_cells(mesh, bad[avoidable[bad]])
    return found + _spanned_gap(mesh, measured, squeezed) + unpaired(mesh)


def _forced_findings(mesh: Mesh, bad: np.ndarray) -> tuple[list[Finding], np.ndarray]:
    """A finding for each pair of faces whose edge forces bad cells, and each face that does so by
    its corners or narrow strips; and these cells."""
    forced = forced_cells(mesh, bad)
    out = []
    kinds, kind = np.unique(
        np.column_stack([forced.patches, forced.kind]), axis=0, return_inverse=True
    )
    for k, (a, b, what) in enumerate(kinds.tolist()):
        own = np.flatnonzero(kind.ravel() == k)
        own = own[np.argsort(forced.angle[own])]
        one, two = mesh.patches[a].name, mesh.patches[b].name
        angle = f"{forced.angle[own[0]]:.1f}°"
        if what == EDGE and a != b:
            where = f"Flat cells at the edge between {one} and {two}, which meet at {angle} there."
        elif what == EDGE:
            where = f"Flat cells at an edge within {one}, which turns back on itself by {angle}."
        elif what == CORNER:
            where = f"Flat cells in a corner of {one} of {angle}."
        else:
            where = f"Flat cells on a strip of {one} that is narrower than the edges are long."
        out.append(
            Finding(
                "forced-cells",
                "caution",
                where,
                len(own),
                np.unique(forced.place[own], axis=0)[:PLACES].tolist(),
                "Blunt the edge or corner, or drop the strip, in Geometry; or accept these cells.",
                size=float(forced.angle[own[0]]),
                measure="angle in °",
                cause="No cell fits there without such an angle.",
                faces=sorted({one, two}),
            )
        )
    return sorted(out, key=lambda f: f.size)[:PLACES], forced.cells


def _spanned_gap(mesh: Mesh, measured: Measured, cells: np.ndarray) -> list[Finding]:
    """One finding for the flat cells that reach across a gap without a node in it."""
    if not len(cells):
        return []
    order = cells[np.argsort(measured.least_dihedral[cells])]
    width = two_digits(float(np.median(heights(mesh, cells, measured.volume))))
    return [
        Finding(
            "spanned-gap",
            "caution",
            f"Flat cells across a gap about {width:g} {mesh.unit} wide, where the edges are longer "
            "than the gap.",
            len(cells),
            measured.centroid[order[:PLACES]].tolist(),
            "Lower the smallest edge to the width of the gap, or close the gap in Geometry.",
            size=width,
            measure=f"width in {mesh.unit}",
            cause="One cell reaches from wall to wall.",
        )
    ]


def report(
    values: Values, findings: list[Finding], steps: list[dict[str, Any]] | None = None
) -> dict[str, Any]:
    """The content of report.json, but for the verdict."""
    mesh, volumes = values.mesh, values.measured.volume
    return {
        "report": 1,
        "valid": not any(f.level == "error" for f in findings),
        "unit": mesh.unit,
        "cells": mesh.cells,
        "points": len(mesh.points),
        "cells_by_shape": counts_by_shape(mesh.shape),
        "zones": {
            zone.name: {
                "kind": zone.kind,
                "cells": int((mesh.zone == k).sum()),
                "volume": float(volumes[mesh.zone == k].sum()),
            }
            for k, zone in enumerate(mesh.zones)
        },
        "patches": {
            row["name"]: {"kind": row["kind"], "faces": row["faces"], "area": row["area"]}
            for row in patch_rows(mesh)
        },
        "quality": quality_summary(values),
        "worst": tails(values),
        "findings": [f.as_dict() for f in findings],
        "steps": steps or [],
    }
