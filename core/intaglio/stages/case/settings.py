"""The settings of Case."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from intaglio.settings.blanks import blank

Report = Mapping[str, Any]


@dataclass(frozen=True)
class Case:
    density: float = blank(
        "density", "density", "Water 998, air 1.2.", 998.2, unit="kg/m³", above=0.0
    )
    viscosity: float = blank(
        "viscosity",
        "dynamic viscosity",
        "Water 1.0e-3, air 1.8e-5, both at 20 °C.",
        1.002e-3,
        unit="Pa·s",
        above=0.0,
    )
    velocity: float = blank(
        "velocity",
        "velocity at the inlets",
        "Mean velocity, normal to the inlet, into the fluid.",
        1.0,
        unit="m/s",
    )
    pressure: float = blank(
        "pressure",
        "pressure at the outlets",
        "Relative to the surroundings; 0 for a free outlet.",
        0.0,
        unit="Pa",
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
