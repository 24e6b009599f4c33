"""The settings of Geometry."""

from dataclasses import dataclass
from typing import Any

from intaglio.parts.operations import REPAIRS
from intaglio.settings.blanks import blank
from intaglio.units import MM_PER_UNIT


@dataclass(frozen=True)
class Geometry:
    unit: str = blank(
        "choice",
        "unit",
        "Measure one length that you know: a flange, a hull.",
        "file",
        choices=(("file", "the unit that the file says"), *((u, u) for u in MM_PER_UNIT)),
    )
    angle: float = blank(
        "angle",
        "sharp edges",
        "Facets are told apart into faces along edges sharper than this; 40° keeps a hull whole.",
        40.0,
        unit="°",
        above=0.0,
        most=180.0,
    )
    repairs: list[dict[str, Any]] = blank(
        "operations",
        "repairs",
        "Worked through from the top; each can be switched off, moved and taken back.",
        [],
        rows=REPAIRS,
    )


def geometry_defaults() -> tuple[dict[str, Any], dict[str, str]]:
    return (
        {"unit": "file", "angle": 40.0, "repairs": []},
        {
            "unit": "As written in the file; where it says nothing, mm.",
            "angle": "Keeps round surfaces whole and parts them at their edges.",
            "repairs": "Nothing is changed until you ask for it.",
        },
    )
