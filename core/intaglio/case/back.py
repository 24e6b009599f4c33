"""Worked back: the speed of an inflow, or the viscosity of a fluid, from a Reynolds number."""

import math
from collections.abc import Mapping
from typing import Any

from intaglio.case.setup import CaseSetup, PatchSetup, metres
from intaglio.case.similarity import speed_for, viscosity_for
from intaglio.errors import SettingRejected
from intaglio.settings.patterns import fits

WHAT = ("speed", "viscosity")


def worked_back(
    settings: Mapping[str, Any],
    case: CaseSetup,
    patch: str,
    reynolds: float,
    length: float,
    what: str,
) -> dict[str, list[dict[str, Any]]]:
    """The settings of Case that give a Reynolds number on a length (m) with what enters at a patch:
    its conditions with another `speed`, or the materials with another `viscosity` of its fluid.

    Raises SettingRejected where nothing enters there or a number is not positive.
    """
    where = "case.conditions"
    if not (reynolds > 0 and length > 0 and math.isfinite(reynolds) and math.isfinite(length)):
        raise SettingRejected(where, "Reynolds number and length must be greater than nothing.")
    own = next((p for p in case.patches if p.name == patch), None)
    if own is None or own.kind not in ("inlet", "far_field", "opening") or not own.wetted:
        raise SettingRejected(where, f"Nothing enters at {patch}; choose an inlet.")
    zone = next(z for z in case.zones if z.name in own.zones and z.kind == "fluid")
    p = zone.properties
    if what == "speed":
        speed = speed_for(reynolds, p.density, length, p.viscosity)
        if own.stream:
            return {"conditions": _faster_stream(settings["conditions"], own, speed)}
        row = _faster(own, speed, p.density, metres(case.unit))
        return {"conditions": _for_one(settings["conditions"], row)}
    if own.inflow is None or own.inflow.speed <= 0:
        raise SettingRejected(where, f"No speed is known at {patch}; give it one first.")
    row = {
        "zones": [zone.name],
        "is": "own_fluid",
        "density": p.density,
        "viscosity": viscosity_for(reynolds, p.density, own.inflow.speed, length),
        "temperature": zone.temperature,
    }
    more = {"heat_capacity": p.heat_capacity, "conductivity": p.conductivity}
    row |= {name: value for name, value in more.items() if value > 0}
    return {"materials": _for_one(settings["materials"], row, "zones")}


def _faster_stream(
    rows: list[dict[str, Any]], patch: PatchSetup, speed: float
) -> list[dict[str, Any]]:
    """The rows with the stream that enters through a patch at another speed, wherever it passes."""
    now = patch.inflow.speed if patch.inflow is not None else 0.0
    if now <= 0:
        raise SettingRejected("case.conditions", "The stream has no direction; give a speed first.")
    return [
        {**row, "velocity": [v * speed / now for v in row["velocity"]]}
        if row["is"] == "stream" and fits(row["patches"], patch.name)
        else row
        for row in rows
    ]


def _faster(patch: PatchSetup, speed: float, density: float, scale: float) -> dict[str, Any]:
    """The row of a patch with another mean speed, of the kind that it has if that tells one; scale:
    the model's unit in metres."""
    numbers = dict(patch.numbers)
    if "eddies" in numbers:
        # rows have lengths in the model's unit
        numbers["eddies"] /= scale
    row = {"patches": [patch.name], "is": patch.condition}
    now = patch.inflow.speed if patch.inflow is not None else 0.0
    if patch.condition in ("speed", "developed"):
        numbers["speed"] = speed
    elif patch.condition in ("velocity", "stream") and now > 0:
        numbers["velocity"] = [v * speed / now for v in numbers["velocity"]]
    elif patch.condition == "flow_rate":
        numbers["rate"] = speed * patch.area
    elif patch.condition == "mass_flow":
        numbers["rate"] = speed * patch.area * density
    elif patch.kind == "inlet":
        brought = {k: v for k, v in numbers.items() if k in ("temperature", "intensity", "eddies")}
        row["is"], numbers = "speed", {"speed": speed, **brought}
    else:
        raise SettingRejected(
            "case.conditions",
            f"No direction is known at {patch.name}; give a speed first.",
        )
    return {**row, **numbers}


def _for_one(
    rows: list[dict[str, Any]], own: dict[str, Any], scope: str = "patches"
) -> list[dict[str, Any]]:
    """The rows with one for a single name; rows that named it alone make room."""
    name = own[scope][0]
    rest = []
    for row in rows:
        others = [n for n in row[scope] if n.strip().lower() != name.lower()]
        if others:
            rest.append({**row, scope: others})
    return [own, *rest]
