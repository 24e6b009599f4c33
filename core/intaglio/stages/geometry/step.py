"""The geometry step: read, move and repair as the list says, then measure and diagnose."""

import dataclasses
from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.cad import domain as cad_domain
from intaglio.cad.features import find_features
from intaglio.cad.findings import diagnose as diagnose_cad
from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.cad.part import Part, area, volume
from intaglio.cad.topology import edge_samples
from intaglio.errors import IntaglioError, SettingRejected, StepFailed
from intaglio.facets.diagnosis import diagnose as diagnose_facets
from intaglio.facets.domain import FacetSpace, compact, inner_point
from intaglio.facets.domain import openings as facet_openings
from intaglio.facets.domain import spaces as facet_spaces
from intaglio.facets.edges import edge_table
from intaglio.facets.facets import enclosed_volume, triangle_areas
from intaglio.facets.features import split_by_angle
from intaglio.facets.part import FacetPart
from intaglio.findings import PLACES, Finding
from intaglio.parts.model import (
    Model,
    Product,
    Progress,
    display,
    drawn,
    face_links,
    face_rows,
    limits,
    model_area,
    model_volume,
    rounded,
    stored,
)
from intaglio.parts.operations import BY_NAME, apply
from intaglio.parts.safe import repair_safe
from intaglio.parts.taking import Source, take_in
from intaglio.stages.domain.step import passages_part
from intaglio.stages.geometry.settings import Geometry


def geometry_step(settings: Geometry, source: Source, progress: Progress) -> Product:
    """Read the files, work through the repairs, and say what is there and what is wrong."""
    taken = take_in(source, settings.unit, lambda share, doing: progress(0.2 * share, doing))
    model = taken.model
    if isinstance(model, FacetPart):
        model = split_by_angle(model, settings.angle)
    first = drawn(model) if any(r["on"] for r in settings.repairs) else None
    model, log = worked(model, settings.repairs, progress)
    if isinstance(model, FacetPart):
        model = compact(model)
    progress(0.45, "measuring")
    low, high = limits(model)
    scale = float(np.linalg.norm(high - low))
    view = drawn(model)
    found = list(taken.findings)
    found += _unit_finding(taken.unit_known, settings.unit)
    found += [_failed(row) for row in log if row["problem"]]
    progress(0.5, "looking for faults")
    shares = _part_of(progress, 0.5, 0.8)
    arrays, names = stored(model)
    if isinstance(model, Part):
        told = diagnose_cad(model, shares)
        found += told.findings
        lines = [edge_samples(model.edges[e]) for e in told.free_edges]
        free = [np.stack([p[:-1], p[1:]], axis=1) for p in lines]
        many = [edge_samples(model.edges[e]) for e in told.branch_edges]
        branch = [np.stack([p[:-1], p[1:]], axis=1) for p in many]
        arrays["free_lines"] = _joined(free)
        arrays["branch_lines"] = _joined(branch)
    else:
        facts = diagnose_facets(model, shares)
        found += facts.findings
        arrays["free_lines"] = facts.free_lines.astype(np.float32)
        arrays["branch_lines"] = facts.branch_lines.astype(np.float32)
    closed = not any(f.level == "error" for f in found)
    progress(0.8, "looking for openings")
    openings, spaces, features, lost = _passages(model, closed)
    found += lost
    progress(0.9, "preparing the picture")
    arrays |= display(view)
    if first is not None:
        arrays |= display(first, "before", with_picture=False)
    data = {
        "file": source.name,
        "unit": model.unit,
        "unit_known": taken.unit_known or settings.unit != "file",
        "model": names,
        "low": rounded(low, scale),
        "high": rounded(high, scale),
        "size": rounded(high - low, scale * 1e3),
        "volume": model_volume(model),
        "area": model_area(model),
        "closed": closed,
        "triangles": len(model.triangles) if isinstance(model, FacetPart) else None,
        "bodies": _bodies(model),
        "faces": face_rows(model, view, scale),
        "links": face_links(model),
        "openings": openings,
        "spaces": spaces,
        "features": features,
        "inside": rounded(_inside(model, low, high), scale),
        "log": log,
        "findings": [f.as_dict() for f in found],
    }
    return Product(arrays, data)


def _part_of(progress: Progress, start: float, end: float) -> Progress:
    return lambda share, doing: progress(start + (end - start) * share, doing)


def worked(
    model: Model, repairs: list[dict[str, Any]], progress: Progress
) -> tuple[Model, list[dict[str, Any]]]:
    """The model after the repairs that are on, and what each did. One that cannot be done leaves
    the model as it was and says why."""
    log = []
    on = [k for k, row in enumerate(repairs) if row["on"]]
    for k, row in enumerate(repairs):
        entry: dict[str, Any] = {
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
        before = model_volume(model), model_area(model)
        try:
            if row["do"] == "repair_safe":
                out, actions = repair_safe(model, row["tolerance"])
                entry["actions"], count = actions, len(actions)
            else:
                out, count = apply(model, row)
        except (StepFailed, SettingRejected) as error:
            entry["problem"], entry["places"] = error.message, error.places
            continue
        entry["count"] = count
        entry["done"] = operation.done.format(n=f"{count:,}")
        entry["volume_change"] = model_volume(out) - before[0]
        entry["area_change"] = model_area(out) - before[1]
        model = out
    return model, log


def _failed(row: Mapping[str, Any]) -> Finding:
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


def _joined(lines: list[np.ndarray]) -> np.ndarray:
    if not lines:
        return np.zeros((0, 2, 3), np.float32)
    return np.concatenate(lines).astype(np.float32)


def _bodies(model: Model) -> list[dict[str, Any]]:
    if isinstance(model, Part):
        return [
            {
                "name": model.body_name(k),
                "volume": volume(b),
                "area": area(b),
                "faces": [model.face_map.FindIndex(f) - 1 for f in Part(b, model.unit).faces],
                "solid": b.ShapeType().name == "TopAbs_SOLID",
            }
            for k, b in enumerate(model.bodies)
        ]
    areas = triangle_areas(model.points, model.triangles)
    out = []
    for k, name in enumerate(model.body_names):
        own = model.body == k
        if not own.any():
            continue
        table = edge_table(model.triangles[own])
        out.append(
            {
                "name": name,
                "volume": enclosed_volume(model.points, model.triangles[own]),
                "area": float(areas[own].sum()),
                "faces": np.unique(model.region[own]).tolist(),
                "solid": bool((table.uses == 2).all()),
            }
        )
    return out


_FAILURES: tuple[type[Exception], ...] = (IntaglioError, *KERNEL_ERRORS)


def _passages(
    model: Model, closed: bool
) -> tuple[list[dict[str, Any]], list[dict[str, Any]], list[dict[str, Any]], list[Finding]]:
    """Openings, closed spaces behind them, features that could go, and findings where the kernel
    failed to tell."""
    trouble: list[Finding] = []
    low, high = limits(model)
    scale = float(np.linalg.norm(high - low))
    spaces: list[cad_domain.Space] | list[FacetSpace]
    if isinstance(model, Part):
        if not model.solids:
            return [], [], [], []
        found: list[cad_domain.Opening] = []
        spaces = []
        try:
            host = passages_part(model)
            found, lost = cad_domain.find_openings(host)
            if lost:
                trouble.append(_lost_openings(lost))
            spaces = cad_domain.spaces(host, found) if found or len(host.faces) > 1 else []
        except _FAILURES as error:
            trouble.append(_unknown_spaces(error))
        rows = [{**dataclasses.asdict(o), "centre": rounded(list(o.centre), scale)} for o in found]
        features = [
            {**dataclasses.asdict(f), "faces": [f"face_{n + 1}" for n in f.faces]}
            for f in find_features(model)
        ]
    else:
        holes = facet_openings(model)
        spaces = list(facet_spaces(model, holes) if holes or closed else [])
        rows = [
            {
                "name": o.name,
                "face": o.region,
                "edges": [],
                "centre": rounded(o.centre, scale),
                "normal": rounded(o.normal, 1.0),
                "area": o.area,
                "diameter": o.diameter,
            }
            for o in holes
        ]
        features = []
    return (
        rows,
        [
            {"openings": list(s.openings), "volume": s.volume, "pin": rounded(list(s.pin), scale)}
            for s in spaces
        ],
        features,
        trouble,
    )


def _lost_openings(places: list[list[float]]) -> Finding:
    return Finding(
        "opening-lost",
        "caution",
        "Openings that no face could be laid over, so that they cannot be closed in Domain.",
        len(places),
        places[:PLACES],
        "Cap the hole in Geometry, or rebuild the faces around it.",
        cause="The CAD kernel could not make a face on the rim.",
    )


def _unknown_spaces(error: Exception) -> Finding:
    why = error.message if isinstance(error, IntaglioError) else type(error).__name__
    return Finding(
        "spaces-unknown",
        "caution",
        f"The spaces that the part encloses could not be told: {why}",
        places=error.places[:PLACES] if isinstance(error, IntaglioError) else [],
        advice="Repair what is found above, or take the fluid around the part or as the part.",
        cause="The CAD kernel failed on this geometry.",
    )


def _inside(model: Model, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """A point in the material, or the middle of the box."""
    scale = float(np.linalg.norm(high - low))
    spot = None
    if isinstance(model, Part):
        if model.solids:
            spot = cad_domain.any_inside(max(model.solids, key=volume), 1e-7 * scale)
    else:
        spot = inner_point(model.points, model.triangles)
    return spot if spot is not None else (low + high) / 2
