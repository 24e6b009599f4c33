"""What a report of a study tells, in plain data: for the page that it is set on."""

import base64
import re
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from intaglio import __version__
from intaglio.mesh.drawing import boundary_arrays
from intaglio.mesh.mesh import cell_middles
from intaglio.parts.picture import picture
from intaglio.quality.catalogue import METRICS
from intaglio.quality.values import Values
from intaglio.quality.worst import described, worst_cells
from intaglio.recipe.differences import leaves
from intaglio.recipe.plan import StageState, Store
from intaglio.reporting.charts import bars
from intaglio.settings.blanks import Blank, blanks_of
from intaglio.stages.registry import giving, stages_of
from intaglio.stages.stage import Stage
from intaglio.stages.volume import volume_mesh
from intaglio.stages.volume.opened import opened_picture

# pictures are as wide and high as this at most, in pixels
WIDE, HIGH = 1200, 470
_WORST = 3


def content(
    states: Sequence[StageState], store: Store, name: str, variant: str, file_name: str, made: str
) -> dict[str, Any]:
    """Everything that the report tells of the stages that are up to date. made: when, in words."""
    by_key = {s.stage: s for s in states if s.report is not None}
    through = stages_of(file_name, {s.stage: s.settings for s in states if s.settings is not None})
    stages = [s for s in through if s.key in by_key]
    meshed = by_key.get(giving("mesh", through))
    found = _findings(stages, by_key)
    last = states[-1]
    unit = next((s.report["unit"] for s in by_key.values() if s.report and "unit" in s.report), "")
    return {
        "name": name,
        "variant": variant,
        "file": file_name,
        "made": made,
        "version": __version__,
        "key": next((s.key for s in reversed(states) if s.report is not None), last.key),
        "unit": unit,
        "headline": _headline(by_key, meshed, unit),
        "pictures": _pictures(by_key, meshed, store),
        "stages": [_stage(stage, by_key[stage.key], unit) for stage in stages if stage.sentences],
        "mesh": None if meshed is None else _mesh(by_key, meshed, store, unit),
        "findings": [f for f in found if not f["accepted"]],
        "accepted": [f for f in found if f["accepted"]],
        "repairs": _repairs(by_key),
        "times": [s.report["step"] for s in by_key.values() if s.report and "step" in s.report],
        "missing": [s.title for s in through if s.key not in by_key and s.sentences],
    }


def number(value: Any) -> str:
    """A value as it is read: four digits, thousands apart, names of a list one after the other."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return f"{value:,}"
    if isinstance(value, float):
        return f"{value:,.4g}" if abs(value) < 1e4 else f"{value:,.0f}"
    if isinstance(value, (list, tuple)):
        return ", ".join(number(v) for v in value)
    return str(value)


def _headline(
    by_key: Mapping[str, StageState], meshed: StageState | None, unit: str
) -> list[tuple[str, str]]:
    """The first figures that one looks for."""
    out: list[tuple[str, str]] = []
    volume = None if meshed is None else meshed.report
    domain = by_key["domain"].report if "domain" in by_key else None
    if domain:
        size = " × ".join(number(float(x)) for x in domain["size"])
        out.append(("Size", f"{size} {unit}"))
    if volume:
        out.append(("Cells", number(volume["cells"])))
        out.append(("Points", number(volume["points"])))
        for shape, count in volume.get("cells_by_shape", {}).items():
            out.append((f"{shape.capitalize()} cells", number(count)))
        verdict = volume.get("verdict")
        if verdict:
            words = "within all of them" if verdict["passed"] else "beyond some of them"
            out.append((f"Limits ({verdict['limits']})", words))
    case = by_key["case"].report if "case" in by_key else None
    if case:
        out.append(("Export", "valid" if case["valid"] else "not valid"))
    return out


def _data(png: bytes) -> str:
    return "data:image/png;base64," + base64.b64encode(png).decode()


def _pictures(
    by_key: Mapping[str, StageState], meshed: StageState | None, store: Store
) -> list[dict[str, str]]:
    """The model as it is drawn at the first stage, and the mesh from outside and opened."""
    out = []
    none = np.zeros((0, 2, 3))
    for stage, words in (("geometry", "The part"), ("domain", "What is meshed")):
        if stage in by_key:
            a = store.get(_key(by_key[stage])).arrays
            lines = a["display_lines"].astype(float).reshape(-1, 2, 3)
            png = picture(
                a["display_points"].astype(float), a["display_triangles"], lines, none, WIDE, HIGH
            )
            out.append({"data": _data(png), "words": words})
            break
    if meshed is not None:
        product = store.get(_key(meshed))
        mesh = volume_mesh(product)
        drawn = boundary_arrays(mesh)
        points, triangles = drawn["points"].astype(float), drawn["triangles"]
        png = picture(points, triangles, none, _edges(points, drawn), WIDE, HIGH)
        out.append({"data": _data(png), "words": "The mesh from outside"})
        middle = cell_middles(mesh, np.arange(mesh.cells))
        png = opened_picture(mesh, middle, float(np.median(middle[:, 1])), WIDE, HIGH)
        out.append({"data": _data(png), "words": "The mesh opened through its middle"})
    return out


def _key(state: StageState) -> str:
    assert state.key is not None
    return state.key


def _edges(points: np.ndarray, drawn: Mapping[str, np.ndarray]) -> np.ndarray:
    """Segments (k, 2, 3) of the edges of faces, without the diagonals of their triangles."""
    triangles, sides = drawn["triangles"], drawn["sides"]
    pairs = [triangles[(sides >> i & 1) == 1][:, [i, (i + 1) % 3]] for i in range(3)]
    ends = np.unique(np.sort(np.concatenate(pairs), axis=1), axis=0)
    out: np.ndarray = points[ends]
    return out


def _stage(stage: Stage, state: StageState, unit: str) -> dict[str, Any]:
    """A stage's brief as it was run, and where each value comes from."""
    settings = state.settings or {}
    blanks = blanks_of(stage.settings)
    sentences, rows, shown = [], [], []
    for sentence in stage.sentences:
        if not sentence.shown(settings):
            continue
        words = []
        for piece in re.split(r"(\{\w+\})", sentence.text):
            key = piece[1:-1] if piece.startswith("{") else None
            if key is None or key not in blanks:
                words.append({"text": piece, "blank": False})
            else:
                shown.append(key)
                words.append({"text": _value(blanks[key], settings.get(key), unit), "blank": True})
        sentences.append(words)
    for key in shown:
        changed = key in state.changed
        derived = (state.default or {}).get(key)
        why = state.reasons.get(key, "")
        if changed and derived is not None and not isinstance(derived, (list, dict)):
            why = f"Set by hand; derived was {_value(blanks[key], derived, unit)}. {why}"
        elif changed:
            why = "Set by hand."
        value = settings.get(key)
        rows.append(
            {
                "label": blanks[key].label,
                "value": _value(blanks[key], value, unit),
                "why": why.strip(),
                "changed": changed,
                "inner": _inner(blanks[key], value, unit),
            }
        )
    return {"title": stage.title, "sentences": sentences, "rows": rows}


def _value(blank: Any, value: Any, unit: str) -> str:
    if blank.choices:
        words = dict(blank.choices)
        return ", ".join(
            str(words.get(v, v)) for v in (value if isinstance(value, list) else [value])
        )
    if isinstance(value, list) and any(isinstance(v, Mapping) for v in value):
        return f"{len(value)} {'entry' if len(value) == 1 else 'entries'}"
    if isinstance(value, list) and not value:
        return "none"
    own = blank.unit.replace("{unit}", unit)
    return f"{number(value)}{'' if own == '°' else ' '}{own}".strip()


def _inner(blank: Blank, value: Any, unit: str) -> list[str]:
    """A list's entries, a line each."""
    if not isinstance(value, list) or not any(isinstance(v, Mapping) for v in value):
        return []
    if blank.rows is not None and blank.rows.described is not None:
        told = blank.rows.described()
        return [_in_words(told, entry, unit) for entry in value]
    out = []
    for entry in value:
        pairs = [f"{' '.join(map(str, path))} {number(v)}" for path, v in leaves(entry)]
        out.append("; ".join(pairs))
    return out


def _in_words(told: Mapping[str, Any], row: Mapping[str, Any], unit: str) -> str:
    """A row of a list: what it is on or called, its form in words where a field names it, and its
    values with their units."""
    by = told["by"]
    forms = [
        form
        for form in told["forms"]
        if (row.get(by) == form["key"] if by else set(form["told_by"]) <= set(row))
    ]
    blanks = [*told["common"], *(forms[0]["blanks"] if forms else [])]
    head, *rest = [b for b in blanks if b["name"] in row]
    amounts = [
        f"{b['name'].replace('_', ' ')} {_said(row[b['name']])} {b['unit']}".rstrip() for b in rest
    ]
    words = [forms[0]["label"]] if by and forms else []
    told_of = f"{_said(row[head['name']])}: {', '.join([*words, *amounts])}"
    return told_of.replace("{unit}", unit)


def _said(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return number(value)


def _mesh(
    by_key: Mapping[str, StageState], meshed: StageState, store: Store, unit: str
) -> dict[str, Any]:
    """Counts, zones, patches, metrics with bars, the verdict and the worst cells."""
    report = meshed.report
    assert report is not None
    verdict = report.get("verdict")
    limits = {row["metric"]: row for row in (verdict or {}).get("rows", [])}
    metrics = []
    for metric in METRICS:
        told = report["quality"].get(metric.key)
        if told is None:
            continue
        limit = limits.get(metric.key)
        bins = report["histograms"].get(metric.key)
        at = told.get("percentiles", {})
        worst, best = ("max", "min") if metric.large_is_bad else ("min", "max")
        metrics.append(
            {
                "label": metric.label,
                "unit": metric.unit.replace("unit", unit),
                "meaning": metric.meaning,
                "worst": number(told[worst]),
                "mean": number(told["mean"]),
                "best": number(told[best]),
                "far": number(at["99" if metric.large_is_bad else "1"]) if at else "",
                "limit": None if limit is None else number(limit["limit"]),
                "way": "at most" if metric.large_is_bad else "at least",
                "passed": None if limit is None else limit["passed"],
                "beyond": None
                if limit is None
                else f"{number(limit['beyond'])}{' or more' if limit['more'] else ''}",
                "bars": bars(bins["edges"], bins["count"], metric, limit and limit["limit"])
                if bins
                else "",
            }
        )
    patches = by_key["patches"].report if "patches" in by_key else None
    return {
        "zones": [
            {
                "name": k,
                "kind": z["kind"],
                "cells": number(z["cells"]),
                "volume": number(z["volume"]),
            }
            for k, z in report["zones"].items()
        ],
        "patches": [
            {"name": p["name"], "kind": p["kind"], "area": number(float(p["area"]))}
            for p in (patches or {}).get("patches", [])
        ],
        "metrics": metrics,
        "verdict": verdict,
        "worst": _worst(by_key, meshed, store),
    }


def _worst(
    by_key: Mapping[str, StageState], meshed: StageState, store: Store
) -> list[dict[str, Any]]:
    """The worst cells of every metric that has a limit."""
    report = meshed.report
    assert report is not None
    product = store.get(_key(meshed))
    mesh = volume_mesh(product)
    ratio = product.arrays.get("size_ratio")
    values = Values(mesh, size_ratio=None if ratio is None else ratio.astype(float))
    names = _patch_of_faces(by_key, [p.name for p in mesh.patches])
    out = []
    for row in report.get("verdict", {}).get("rows", []):
        metric = next(m for m in METRICS if m.key == row["metric"])
        if metric.key not in values.known():
            continue
        of_cells = values.of_cells(metric.key)
        cells = worst_cells(of_cells, metric.large_is_bad, _WORST)
        told = described(mesh, cells, of_cells[cells], product.arrays.get("layer"), names)
        out.append(
            {
                "label": metric.label,
                "cells": [
                    {
                        "cell": number(c["cell"]),
                        "value": number(c["value"]) + ("°" if metric.unit == "°" else ""),
                        "place": number(c["place"]),
                        "words": ", ".join(w for w in (c["shape"], c["cause"]) if w),
                    }
                    for c in told
                ],
            }
        )
    return out


def _patch_of_faces(by_key: Mapping[str, StageState], faces: list[str]) -> list[str]:
    """The patch that each face is on, or its own name."""
    names: dict[str, str] = {}
    report = by_key["patches"].report if "patches" in by_key else None
    for patch in (report or {}).get("patches", []):
        names |= dict.fromkeys(patch["faces"], patch["name"])
    return [names.get(face, face) for face in faces]


def _findings(stages: Sequence[Stage], by_key: Mapping[str, StageState]) -> list[dict[str, Any]]:
    """What was found at each stage and not repaired; `accepted` says why, where somebody did."""
    out = []
    for stage in stages:
        report = by_key[stage.key].report
        for f in (report or {}).get("findings", []):
            places = ["(" + ", ".join(f"{x:.5g}" for x in p) + ")" for p in f["places"][:3]]
            out.append(
                {
                    "stage": stage.title,
                    "level": f["level"],
                    "message": f["message"],
                    "count": number(f["count"]),
                    "measure": f"{number(float(f['size']))} {f['measure']}" if f["measure"] else "",
                    "cause": f["cause"],
                    "advice": f["advice"],
                    "accepted": f.get("accepted", ""),
                    "places": ", ".join(places) + (" …" if len(f["places"]) > 3 else ""),
                }
            )
    return out


def _repairs(by_key: Mapping[str, StageState]) -> list[dict[str, str]]:
    """What was decided about the part's findings: the repairs, done or not."""
    report = by_key["geometry"].report if "geometry" in by_key else None
    return [
        {
            "title": row["do"].replace("_", " "),
            "done": "switched off" if not row["on"] else (row["problem"] or row["done"]),
            "good": "yes" if row["on"] and not row["problem"] else "no",
        }
        for row in (report or {}).get("log", [])
    ]
