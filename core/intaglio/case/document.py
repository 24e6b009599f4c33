"""The case as plain data, for case.yaml: SI units, but for the mesh's own length unit."""

import math
from typing import Any

from intaglio.case.setup import CaseSetup, Inflow, PatchSetup, Turning, ZoneSetup, metres

# units of the numbers of conditions
_UNITS = {
    "speed": "m/s",
    "velocity": "m/s",
    "pressure": "Pa",
    "temperature": "°C",
    "intensity": "%",
    "eddies": "m",
    "point": "m",
    "axis": "",
    "rpm": "1/min",
    "flux": "W/m²",
    "coefficient": "W/(m² K)",
}
_RATES = {"flow_rate": "m³/s", "mass_flow": "kg/s", "mass_out": "kg/s"}


def case_document(case: CaseSetup, faces: dict[str, int], name: str, file: str) -> dict[str, Any]:
    """The content of case.yaml; faces: how many each patch has; file: the mesh that it is for."""
    out: dict[str, Any] = {
        "case": 2,
        "name": name,
        "mesh": {
            "file": file,
            "unit": case.unit,
            "metres_per_unit": metres(case.unit),
        },
        "zones": {zone.name: _zone(zone, case.heat) for zone in case.zones},
        "turbulence": {"closure": case.closure.key, "words": case.closure.label},
        "heat": case.heat,
        "time": {"steady": True, "iterations": case.iterations}
        if case.steady
        else {"steady": False, "step": _number(case.step, "s"), "end": _number(case.end, "s")},
        "patches": {
            patch.name: {"kind": patch.kind, "faces": faces[patch.name], **_condition(patch, case)}
            for patch in case.patches
        },
    }
    if any(case.gravity):
        out["gravity"] = _number(list(case.gravity), "m/s²")
    return out


def _number(value: Any, unit: str) -> dict[str, Any]:
    plain = list(value) if isinstance(value, tuple) else value
    return {"value": plain, "unit": unit} if unit else {"value": plain}


def _zone(zone: ZoneSetup, heat: bool) -> dict[str, Any]:
    own = zone.properties
    out: dict[str, Any] = {
        "kind": zone.kind,
        "material": zone.material,
        "temperature": _number(zone.temperature, "°C"),
        "density": _number(own.density, "kg/m³"),
    }
    if zone.kind == "fluid":
        out["viscosity"] = _number(own.viscosity, "Pa·s")
    if heat:
        out["heat_capacity"] = _number(own.heat_capacity, "J/(kg K)")
        out["conductivity"] = _number(own.conductivity, "W/(m K)")
    if zone.frame is not None:
        out["turns"] = _turning(zone.frame)
    return out


def _turning(turning: Turning) -> dict[str, Any]:
    return {
        "point": _number(turning.point, "m"),
        "axis": _number(turning.axis, ""),
        "rpm": _number(turning.rpm, "1/min"),
    }


def _condition(patch: PatchSetup, case: CaseSetup) -> dict[str, Any]:
    out: dict[str, Any] = {"zones": list(patch.zones)}
    if patch.condition and patch.condition != patch.kind:
        out["condition"] = patch.condition
    for key, value in patch.numbers.items():
        unit = _RATES.get(patch.condition, "") if key == "rate" else _UNITS[key]
        out[key] = _number(value, unit)
    if case.heat and patch.kind == "wall":
        out["heat"] = {
            "is": patch.heat,
            **{key: _number(value, _UNITS[key]) for key, value in patch.heat_numbers.items()},
        }
    if patch.inflow is not None:
        out["follows"] = _follows(patch.inflow, case)
    return out


def _follows(inflow: Inflow, case: CaseSetup) -> dict[str, Any]:
    """What follows from the numbers of an inflow: told, not to be set."""
    out = {
        "mean_speed": _number(inflow.speed, "m/s"),
        "volume_flow": _number(inflow.volume, "m³/s"),
        "mass_flow": _number(inflow.mass, "kg/s"),
        "hydraulic_diameter": _number(inflow.diameter, "m"),
        "reynolds": _number(inflow.reynolds, ""),
    }
    if math.isfinite(inflow.mach):
        out["mach"] = _number(inflow.mach, "")
    if case.closure.key != "laminar":
        t = inflow.turbulence
        out |= {
            "intensity": _number(100.0 * inflow.intensity, "%"),
            "eddies": _number(inflow.eddies, "m"),
            "kinetic_energy": _number(t.energy, "m²/s²"),
            "dissipation": _number(t.dissipation, "m²/s³"),
            "dissipation_rate": _number(t.rate, "1/s"),
            "eddy_viscosity": _number(t.eddy_viscosity, "m²/s"),
        }
    return out
