"""The report of a mesh: counts, zones, patches, quality, validity, as documented in docs/."""

from typing import Any

import numpy as np

from intaglio.mesh.mesh import Mesh
from intaglio.mesh.quality import (
    cell_metrics,
    dihedral_angles,
    equiangle_skewness,
    quality_summary,
    tet_volumes,
)
from intaglio.mesh.validity import Finding, cautions, check

BINS = 24


def patch_rows(mesh: Mesh) -> list[dict[str, Any]]:
    """Per patch: name, kind, triangles, area (unit²), perimeter of its rim (unit)."""
    rows = []
    for k, patch in enumerate(mesh.patches):
        nodes = mesh.face_nodes[mesh.patch == k]
        a, b, c = (mesh.points[nodes[:, i]] for i in range(3))
        area = 0.5 * float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())
        rows.append(
            {
                "name": patch.name,
                "kind": patch.kind,
                "triangles": len(nodes),
                "area": area,
                "perimeter": _rim(mesh, nodes),
            }
        )
    return rows


def _rim(mesh: Mesh, nodes: np.ndarray) -> float:
    pairs = np.sort(np.concatenate([nodes[:, [0, 1]], nodes[:, [1, 2]], nodes[:, [2, 0]]]), axis=1)
    edges, count = np.unique(pairs, axis=0, return_counts=True)
    rim = edges[count == 1]
    return float(np.linalg.norm(mesh.points[rim[:, 0]] - mesh.points[rim[:, 1]], axis=1).sum())


def histograms(mesh: Mesh) -> dict[str, dict[str, list[float]]]:
    """Counts of cells in equal bins of each metric between its least and largest value."""
    out = {}
    for key, values in cell_metrics(mesh).items():
        count, edges = np.histogram(values, BINS)
        out[key] = {"edges": edges.tolist(), "count": count.tolist()}
    return out


def mesh_findings(mesh: Mesh) -> list[Finding]:
    """Errors of validity, then cautions about quality."""
    found = check(mesh)
    if found:
        return found
    return cautions(
        equiangle_skewness(mesh.points, mesh.tets),
        dihedral_angles(mesh.points, mesh.tets)[0],
        mesh.points[mesh.tets].mean(axis=1),
    )


def report(
    mesh: Mesh, findings: list[Finding], steps: list[dict[str, Any]] | None = None
) -> dict[str, Any]:
    """The content of report.json."""
    volumes = tet_volumes(mesh.points, mesh.tets)
    return {
        "report": 1,
        "valid": not any(f.level == "error" for f in findings),
        "unit": mesh.unit,
        "cells": len(mesh.tets),
        "points": len(mesh.points),
        "cells_by_shape": {"tetrahedron": len(mesh.tets)},
        "zones": {
            zone.name: {
                "kind": zone.kind,
                "cells": int((mesh.zone == k).sum()),
                "volume": float(volumes[mesh.zone == k].sum()),
            }
            for k, zone in enumerate(mesh.zones)
        },
        "patches": {
            row["name"]: {"kind": row["kind"], "faces": row["triangles"], "area": row["area"]}
            for row in patch_rows(mesh)
        },
        "quality": quality_summary(mesh),
        "findings": [f.as_dict() for f in findings],
        "steps": steps or [],
    }
