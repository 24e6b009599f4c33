"""The geometry step: read, move and repair as the list says, then measure and diagnose."""

from typing import Any

import numpy as np

from intaglio.errors import SettingRejected, StepFailed
from intaglio.findings import Finding
from intaglio.numeric.rounding import rounded
from intaglio.parts.closing import closed, open_finding
from intaglio.parts.kind import Model, Progress
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, display, face_links, face_rows
from intaglio.parts.operations import BY_NAME, apply
from intaglio.parts.rows import RepairRow
from intaglio.parts.safe import repair_safe
from intaglio.parts.taking import Source, take_in
from intaglio.stages.geometry.report import GeometryReport
from intaglio.stages.geometry.settings import Geometry


def geometry_step(settings: Geometry, source: Source, progress: Progress) -> Product:
    """Read the files, work through the repairs, and say what is there and what is wrong."""
    taken = take_in(source, settings.unit, lambda share, doing: progress(0.2 * share, doing))
    kind = kind_of(taken.model)
    model: Model = kind.prepared(taken.model, settings.angle)
    first = kind.drawn(model) if any(r["on"] for r in settings.repairs) else None
    model, log = worked(model, settings.repairs, progress)
    model = kind.tidied(model)
    progress(0.45, "measuring")
    low, high = kind.limits(model)
    scale = float(np.linalg.norm(high - low))
    view = kind.drawn(model)
    found = list(taken.findings)
    found += _unit_finding(taken.unit_known, settings.unit)
    found += [_failed(row) for row in log if row["problem"]]
    progress(0.5, "looking for faults")
    told = kind.diagnosed(model, _part_of(progress, 0.5, 0.8))
    found += told.findings
    arrays, names = kind.stored(model)
    arrays |= {"free_lines": told.free_lines, "branch_lines": told.branch_lines}
    found += open_finding(model, told.findings)
    sound = not any(f.level == "error" for f in found)
    progress(0.8, "looking for openings")
    passages = kind.passages(model, sound)
    found += passages.findings
    progress(0.9, "preparing the picture")
    arrays |= display(view)
    if first is not None:
        arrays |= display(first, "before", with_picture=False)
    inside = kind.inner_point(model)
    data: GeometryReport = {
        "file": source.name,
        "unit": model.unit,
        "unit_known": taken.unit_known or settings.unit != "file",
        "model": names,
        "low": rounded(low, scale),
        "high": rounded(high, scale),
        "size": rounded(high - low, scale * 1e3),
        "volume": kind.volume(model),
        "area": kind.area(model),
        "closed": sound,
        "triangles": kind.triangles(model),
        "bodies": kind.bodies(model),
        "faces": face_rows(model, view, scale),
        "links": face_links(model),
        "openings": passages.openings,
        "spaces": passages.spaces,
        "features": passages.features,
        "inside": rounded((low + high) / 2 if inside is None else inside, scale),
        "log": log,
        "findings": [f.as_dict() for f in found],
    }
    return Product(arrays, data)


def _part_of(progress: Progress, start: float, end: float) -> Progress:
    return lambda share, doing: progress(start + (end - start) * share, doing)


def worked(
    model: Model, repairs: list[dict[str, Any]], progress: Progress
) -> tuple[Model, list[RepairRow]]:
    """The model after the repairs that are on, and what each did. One that cannot be done leaves
    the model as it was and says why."""
    kind = kind_of(model)
    log: list[RepairRow] = []
    on = [k for k, row in enumerate(repairs) if row["on"]]
    for k, row in enumerate(repairs):
        entry: RepairRow = {
            "do": row["do"],
            "on": row["on"],
            "done": "",
            "count": 0,
            "volume_change": 0.0,
            "area_change": 0.0,
            "actions": [],
            "problem": None,
            "places": [],
        }
        log.append(entry)
        if not row["on"]:
            continue
        operation = BY_NAME[row["do"]]
        progress(0.2 + 0.25 * on.index(k) / len(on), operation.title.lower())
        before = kind.volume(model), kind.area(model)
        try:
            if operation.of_others:
                safe = row["do"] == "repair_safe"
                out, actions = repair_safe(model, row["tolerance"]) if safe else closed(model)
                entry["actions"], count = actions, len(actions)
            else:
                out, count = apply(model, row)
        except (StepFailed, SettingRejected) as error:
            entry["problem"], entry["places"] = error.message, error.places
            continue
        entry["count"] = count
        entry["done"] = operation.done.format(n=f"{count:,}")
        entry["volume_change"] = kind.volume(out) - before[0]
        entry["area_change"] = kind.area(out) - before[1]
        model = out
    return model, log


def _failed(row: RepairRow) -> Finding:
    return Finding(
        "repair-failed",
        "caution",
        f"“{BY_NAME[row['do']].title}” was not done: {row['problem']}",
        places=row["places"],
        advice="Change it, or switch it off.",
    )


def _unit_finding(known: bool, asked: str) -> list[Finding]:
    if known or asked != "file":
        return []
    return [
        Finding(
            "unit-unknown",
            "note",
            "The file does not say its unit; its numbers are taken as mm.",
            advice="Measure a length that you know, and choose the unit in the brief.",
        )
    ]
