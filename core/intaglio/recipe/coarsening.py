"""Settings of the same grid, coarser everywhere by a factor: edges, layers, cells across gaps."""

from collections.abc import Mapping
from typing import Any

_MOST_TURN = 60.0


def coarser(settings: Mapping[str, Mapping[str, Any]], by: float) -> dict[str, dict[str, Any]]:
    """The changes that make every edge of settings in force longer by a factor over 1: of Sizing
    and Layers. Heights that are given in edges follow by themselves."""
    sizing = settings["sizing"]
    changes: dict[str, Any] = {
        "smallest": sizing["smallest"] * by,
        "largest": sizing["largest"] * by,
        "angle": min(sizing["angle"] * by, _MOST_TURN),
        "gap_cells": sizing["gap_cells"] / by,
    }
    if sizing["wall"] > 0:
        changes["wall"] = sizing["wall"] * by
    if sizing["sizes"]:
        changes["sizes"] = [_size(row, by) for row in sizing["sizes"]]
    if sizing["regions"]:
        changes["regions"] = [{**row, "size": row["size"] * by} for row in sizing["regions"]]
    out = {"sizing": changes}
    rows = settings["layers"]["layers"]
    out["layers"] = {"layers": [_layers(row, by) for row in rows]}
    return out


def _size(row: Mapping[str, Any], by: float) -> dict[str, Any]:
    out = dict(row)
    if "size" in row:
        out["size"] = row["size"] * by
    if "count" in row:
        out["count"] = max(1, round(row["count"] / by))
    return out


def _layers(row: Mapping[str, Any], by: float) -> dict[str, Any]:
    out = dict(row)
    for key in ("first", "total", "yplus"):
        if key in row:
            out[key] = row[key] * by
    return out
