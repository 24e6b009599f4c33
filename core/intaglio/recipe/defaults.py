"""Settings derived from the model, each with the reason that the brief shows."""

from collections.abc import Mapping
from typing import Any

import numpy as np

Report = Mapping[str, Any]
_SPACE_SHARE = 0.05
_CELLS = 250_000
_THIN_CELLS = 1_500_000


def _digits(value: float, digits: int = 2) -> float:
    return float(f"{value:.{digits}g}")


def domain_defaults(geometry: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Fluid inside the part if its largest closed space is more than a twentieth of the solid."""
    spaces = geometry["spaces"]
    if spaces and spaces[0]["volume"] > _SPACE_SHARE * geometry["volume"]:
        space = spaces[0]
        unit = geometry["unit"]
        return (
            {"where": "inside", "closed": list(space["openings"]), "pin": list(space["pin"])},
            {
                "where": f"The part encloses a space of {space['volume']:,.4g} {unit}³.",
                "closed": f"These {len(space['openings'])} lead from that space to the outside.",
                "pin": f"Behind the middle of {space['openings'][0]}."
                if space["openings"]
                else "Inside the closed space.",
            },
        )
    why = "The part encloses no space of its own, so it is taken as the fluid."
    return (
        {"where": "as-is", "closed": [], "pin": list(geometry["inside"])},
        {"where": why, "closed": "Nothing to close.", "pin": "A point inside the part."},
    )


def patches_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """One patch per closing face, the largest as outlet; for a fluid part its two flat ends."""
    faces = domain["faces"]
    openings = sorted((f for f in faces if f["opening"]), key=lambda f: -f["area"])
    if openings:
        patches = [
            {"name": f["id"], "kind": "inlet" if k else "outlet", "faces": [f["id"]]}
            for k, f in enumerate(openings)
        ]
        if len(patches) == 1:
            patches[0]["kind"] = "inlet"
        why = "One patch per closing face; the largest is taken as the outlet. All else is wall."
    else:
        ends = _flat_ends(faces, domain["low"], domain["high"])
        patches = [
            {"name": f"end_{k + 1}", "kind": kind, "faces": [f["id"]]}
            for k, (f, kind) in enumerate(zip(ends, ("inlet", "outlet"), strict=False))
        ]
        why = (
            "The two flat ends farthest apart are taken as inlet and outlet. All else is wall."
            if ends
            else "No flat ends were found, so everything is wall."
        )
    patches.append({"name": "wall", "kind": "wall", "faces": "rest"})
    return {"patches": patches}, {"patches": why}


def _flat_ends(faces: list[dict], low: list[float], high: list[float]) -> list[dict]:
    """The two opposite flat faces, the whole model on one side of each, farthest apart."""
    scale = float(np.linalg.norm(np.subtract(high, low)))
    flat = [f for f in faces if f["surface"] == "plane" and f["at_end"]]
    best: tuple[float, list[dict]] = (0.0, [])
    for a in flat:
        for b in flat:
            if np.dot(a["normal"], b["normal"]) > -0.999:
                continue
            apart = float(np.dot(np.subtract(b["centre"], a["centre"]), b["normal"]))
            if apart > best[0] + 1e-9 * scale:
                best = apart, [a, b]
    # the lower end first, so that the proposal does not depend on numbering
    return sorted(best[1], key=lambda f: [round(x, 9) for x in f["centre"]])


def sizing_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Largest edge a tenth of the passage width 4V/A; smallest by the tightest radius."""
    volume, area, unit = domain["volume"], domain["area"], domain["unit"]
    passage = 4.0 * volume / area
    largest = passage / 10.0
    why_largest = f"A tenth of the passage width 4V/A = {passage:.3g} {unit}."
    ceiling = (10.5 * volume / _CELLS) ** (1 / 3)
    if ceiling > largest:
        largest = ceiling
        why_largest = f"So large that the fluid takes about {_CELLS:,} cells."
    largest = _digits(largest)
    radius = domain["smallest_radius"]
    smallest = largest / 4
    why_smallest = f"A quarter of the largest edge; nothing curves more tightly than {largest:g}."
    if radius and radius < 4 * largest:
        wanted = 2 * radius * float(np.sin(np.radians(9.0)))
        smallest = min(max(wanted, largest / 6), largest / 2)
        why_smallest = f"Follows the tightest radius, {radius:.3g} {unit}, within reason."
    else:
        why_smallest = "A quarter of the largest edge; no tight curves were found."
    gap_cells, why_gap = 2.0, "Keeps every narrow place at least two cells wide."
    across = 10.5 * volume / (volume / area) ** 3
    if across > _THIN_CELLS:
        gap_cells = 0.0
        why_gap = (
            f"The fluid is as thin as a sheet: two cells across it would take {across:.1g} cells."
        )
    return (
        {
            "smallest": _digits(smallest),
            "largest": largest,
            "angle": 18.0,
            "growth": 1.2,
            "gap_cells": gap_cells,
        },
        {
            "smallest": why_smallest,
            "largest": why_largest,
            "angle": "Twenty edges around a full circle.",
            "growth": "The usual rate for internal flow.",
            "gap_cells": why_gap,
        },
    )


def case_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    return (
        {"density": 998.2, "viscosity": 1.002e-3, "velocity": 1.0, "pressure": 0.0},
        {
            "density": "Water at 20 °C.",
            "viscosity": "Water at 20 °C.",
            "velocity": "One metre per second, to be replaced by yours.",
            "pressure": "A free outlet.",
        },
    )


def defaults(
    stage: str, reports: Mapping[str, Report]
) -> tuple[dict[str, Any], dict[str, str]] | None:
    """(settings, reasons) of a stage from the reports of earlier ones; None if one is missing."""
    if stage == "geometry":
        return {}, {}
    if stage == "surface":
        return {"passes": 9}, {"passes": "Enough for nearly every surface."}
    if stage == "volume":
        return {"passes": 8}, {"passes": "Enough for ordinary parts."}
    if stage == "domain":
        return domain_defaults(reports["geometry"]) if "geometry" in reports else None
    if "domain" not in reports:
        return None
    derive = {"patches": patches_defaults, "sizing": sizing_defaults, "case": case_defaults}
    return derive[stage](reports["domain"])
