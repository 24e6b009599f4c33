"""Settling which face belongs to which patch."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, model_of
from intaglio.stages.domain.faces import own_face
from intaglio.stages.patches.ends import missing_ends
from intaglio.stages.patches.naming import resolve
from intaglio.stages.patches.report import PatchesReport, PatchRow
from intaglio.stages.patches.settings import Patches
from intaglio.stages.stage import Progress


def patches_step(settings: Patches, domain: Product, progress: Progress) -> Product:
    """Settle which face belongs to which patch; broken rules are findings of level error."""
    faces = domain.report["faces"]

    def locate(spot: list[float]) -> NDArray[np.float64]:
        model = model_of(domain)
        apart = kind_of(model).distances(model, np.array(spot))
        return apart[own_face(domain.report)]

    members, found = resolve(settings.patches, faces, scale_of_report(domain.report), locate)
    of_face = np.full(len(faces), -1, np.int32)
    rows: list[PatchRow] = []
    for k, (row, numbers) in enumerate(zip(settings.patches, members, strict=True)):
        of_face[numbers] = k
        rows.append(
            {
                "name": row["name"],
                "kind": row["kind"],
                "faces": [faces[n]["id"] for n in numbers],
                "area": float(sum(faces[n]["area"] for n in numbers)),
            }
        )
    found += missing_ends([r["kind"] for r in rows if r["faces"]])
    data: PatchesReport = {
        "patches": rows,
        "unit": domain.report["unit"],
        "findings": [f.as_dict() for f in found],
    }
    return Product({"patch_of_face": of_face}, data)


def scale_of_report(report: Mapping[str, Any]) -> float:
    """Diagonal of the box of a model."""
    return float(np.linalg.norm(np.subtract(report["high"], report["low"])))
