"""The geometry step: read, move and repair as the list says, then measure and diagnose."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from intaglio.cad.faults import is_kernel_fault
from intaglio.errors import SettingRejected, StepFailed
from intaglio.findings import Finding
from intaglio.numeric.rounding import rounded
from intaglio.parts.acting import apply
from intaglio.parts.closing import closed, open_finding
from intaglio.parts.kind import Drawn, Model, Progress
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, display, face_links, face_rows
from intaglio.parts.operations import BY_NAME
from intaglio.parts.reaching import dropped, without_unreached
from intaglio.parts.rows import ActionRow, RepairRow
from intaglio.parts.safe import repair_safe
from intaglio.parts.source import Source
from intaglio.parts.taking import take_in
from intaglio.stages.geometry.report import GeometryReport
from intaglio.stages.geometry.settings import Geometry
from intaglio.stages.stage import Show
from intaglio.triangles.measures import enclosed_volume, triangle_areas

# a part's coordinates in its unit: beyond this nothing that is computed with them holds
_FARTHEST = 1e12


def geometry_step(
    settings: Geometry, source: Source, progress: Progress, show: Show = lambda product: None
) -> Product:
    """Read the files, work through the repairs, and say what is there and what is wrong. What is
    drawn is shown as soon as it is, and again with every finding."""
    taken = take_in(source, settings.unit, lambda share, doing: progress(0.2 * share, doing))
    kind = kind_of(taken.model)
    model: Model = kind.prepared(taken.model, settings.angle)
    first = kind.drawn(model) if any(r["on"] for r in settings.repairs) else None
    model, log = worked(model, settings.repairs, progress)
    model = kind.tidied(model)
    progress(0.45, "measuring")
    view = kind.drawn(model)
    _refuse_beyond(view)
    if not len(view.triangles):
        raise StepFailed(
            "nothing-drawn",
            f"Not one face of {source.name} can be drawn: none of them is whole. The file may be "
            "damaged. Export it again from the CAD program.",
        )
    arrays = display(view)
    if first is not None:
        arrays |= display(first, "before", with_picture=False)
    found = list(taken.findings)
    found += _unit_finding(taken.unit_known, settings.unit)
    found += [_failed(row) for row in log if row["problem"]]
    data = _seen(model, view)
    data["file"] = source.name
    data["unit_known"] = taken.unit_known or settings.unit != "file"
    data["log"] = log

    def so_far(more: Sequence[Finding] = ()) -> Product:
        report: GeometryReport = {**data, "findings": [f.as_dict() for f in (*found, *more)]}
        return Product(dict(arrays), report)

    show(so_far())
    scale = kind.scale(model)
    data["volume"], data["area"] = kind.volume(model), kind.area(model)
    data["bodies"] = kind.bodies(model)
    data["faces"] = face_rows(model, view, scale)
    data["links"] = face_links(model)
    progress(0.5, "looking for faults")
    told = kind.diagnosed(model, _part_of(progress, 0.5, 0.8), lambda more: show(so_far(more)))
    arrays |= {"free_lines": told.free_lines, "branch_lines": told.branch_lines}
    found += told.findings
    found += open_finding(model, told.findings)
    sound = not any(f.level == "error" for f in found)
    data["closed"] = sound
    show(so_far())
    progress(0.8, "looking for openings")
    passages = kind.passages(model, sound)
    found += passages.findings
    data["openings"] = passages.openings
    data["spaces"] = passages.spaces
    data["features"] = passages.features
    inside = kind.inner_point(model)
    if inside is not None:
        data["inside"] = rounded(inside, scale)
    progress(0.95, "keeping the part")
    arrays |= kind.stored(model)
    return so_far()


def _seen(model: Model, view: Drawn) -> GeometryReport:
    """What can be said of a model as soon as it is drawn, by the triangles that are drawn."""
    kind = kind_of(model)
    low, high = kind.limits(model)
    scale = float(np.linalg.norm(high - low))
    return {
        "file": "",
        "unit": model.unit,
        "unit_known": True,
        "model": kind.names(model),
        "low": rounded(low, scale),
        "high": rounded(high, scale),
        "size": rounded(high - low, scale * 1e3),
        "volume": enclosed_volume(view.points, view.triangles),
        "area": float(triangle_areas(view.points, view.triangles).sum()),
        "closed": None,
        "triangles": kind.triangles(model),
        "bodies": [],
        "faces": face_rows(model, view, scale, rough=True),
        "links": [],
        "openings": [],
        "spaces": [],
        "features": [],
        "inside": rounded((low + high) / 2, scale),
        "log": [],
        "findings": [],
    }


def _part_of(progress: Progress, start: float, end: float) -> Progress:
    return lambda share, doing: progress(start + (end - start) * share, doing)


def _refuse_beyond(view: Drawn) -> None:
    """Raises StepFailed where the model lies farther out than can be computed with."""
    farthest = float(np.abs(view.points).max(initial=0.0))
    if not farthest <= _FARTHEST:
        raise StepFailed(
            "too-far-out",
            f"The model reaches {farthest:.1g} units from the origin, farther than can be computed "
            "with. Take back what scaled or moved it, or take the file in a larger unit.",
        )


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
                out, actions, count = _decided(model, row)
                entry["actions"] = actions
            else:
                out, count = apply(model, row)
        except (StepFailed, SettingRejected) as error:
            entry["problem"], entry["places"] = error.message, error.places
            continue
        except Exception as error:
            if not is_kernel_fault(error):
                raise
            entry["problem"] = f"The CAD kernel could not do it ({error})."
            continue
        entry["count"] = count
        entry["done"] = operation.done.format(n=f"{count:,}")
        entry["volume_change"] = kind.volume(out) - before[0]
        entry["area_change"] = kind.area(out) - before[1]
        model = out
    return model, log


def _decided(model: Model, row: dict[str, Any]) -> tuple[Model, list[ActionRow], int]:
    """The model after an operation that decides by itself what is done, each of it, and how many
    things it changed."""
    if row["do"] == "drop_unreached":
        pins = np.array([row["at"]], float) if row["start"] == "place" else None
        out, actions = without_unreached(model, row["wide"], pins, row["keep"])
        return out, actions, dropped(actions)
    out, actions = (
        repair_safe(model, row["tolerance"]) if row["do"] == "repair_safe" else closed(model)
    )
    return out, actions, len(actions)


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
