"""Growing a selection of faces: across smooth edges, on the same plane, of the same radius or
size, all that hang together."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.errors import SettingRejected

HOW = ("follow", "plane", "radius", "size", "connected", "invert", "zone")


def grow(report: Mapping[str, Any], faces: list[str], how: str, angle: float = 20.0) -> list[str]:
    """Faces that a selection grows to. report: a report of Geometry or Domain with faces and links;
    angle: degrees beyond which an edge stops `follow`. Raises SettingRejected."""
    rows = report["faces"]
    number = {row["id"]: k for k, row in enumerate(rows)}
    unknown = [f for f in faces if f not in number]
    if unknown:
        raise SettingRejected("selection", f"There is no face called {unknown[0]}.")
    if how not in HOW:
        raise SettingRejected("selection", f"A selection grows by {', '.join(HOW)}.")
    chosen = {number[f] for f in faces}
    if how == "invert":
        return [row["id"] for k, row in enumerate(rows) if k not in chosen]
    if how in ("follow", "connected"):
        limit = angle if how == "follow" else 360.0
        grown = _reached(report.get("links", []), chosen, limit)
    elif how == "zone":
        zones = {z for k in chosen for z in rows[k].get("zones", [0])}
        grown = {k for k, row in enumerate(rows) if zones & set(row.get("zones", [0]))}
    else:
        grown = {
            k
            for k, row in enumerate(rows)
            if any(_alike(row, rows[c], how, report) for c in chosen)
        }
    return [rows[k]["id"] for k in sorted(grown | chosen)]


def _reached(links: list[list[float]], start: set[int], limit: float) -> set[int]:
    beside: dict[int, list[int]] = {}
    for a, b, turn in links:
        if turn <= limit:
            beside.setdefault(int(a), []).append(int(b))
            beside.setdefault(int(b), []).append(int(a))
    seen, todo = set(start), list(start)
    while todo:
        for other in beside.get(todo.pop(), []):
            if other not in seen:
                seen.add(other)
                todo.append(other)
    return seen


def _alike(a: Mapping[str, Any], b: Mapping[str, Any], how: str, report: Mapping[str, Any]) -> bool:
    scale = float(np.linalg.norm(np.subtract(report["high"], report["low"])))
    if how == "plane":
        if a["surface"] != "plane" or b["surface"] != "plane":
            return a["id"] == b["id"]
        parallel = abs(abs(float(np.dot(a["normal"], b["normal"]))) - 1) < 1e-6
        apart = abs(float(np.dot(np.subtract(a["centre"], b["centre"]), b["normal"])))
        return parallel and apart < 1e-5 * scale
    if how == "radius":
        same = a["surface"] == b["surface"] and a["radius"] > 0
        return same and abs(a["radius"] - b["radius"]) < 1e-6 * max(a["radius"], b["radius"])
    return abs(a["area"] - b["area"]) < 1e-4 * max(a["area"], b["area"])
