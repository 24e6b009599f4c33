"""The stages, their settings in sentences, and what follows from what."""

import dataclasses
from dataclasses import dataclass
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.recipe.blanks import blank, blanks_of


@dataclass(frozen=True)
class Geometry:
    """What is taken in. The file itself is an input, not a setting."""


@dataclass(frozen=True)
class Domain:
    where: str = blank(
        "choice",
        "where the fluid is",
        "A part with walls has its fluid inside; a body drawn as the flow passage is the fluid.",
        "inside",
        choices=(("inside", "the fluid is inside the part"), ("as-is", "the part is the fluid")),
    )
    closed: list[str] = blank(
        "names",
        "openings to close",
        "Close every opening that leads from the space at the pin to the outside.",
        [],
    )
    pin: list[float] = blank(
        "point",
        "pin: fluid here",
        "Any point inside the space that is to be filled.",
        [0, 0, 0],
        unit="{unit}",
    )


@dataclass(frozen=True)
class Patches:
    patches: list[dict[str, Any]] = blank(
        "patches",
        "patches",
        "Every face belongs to exactly one patch; the case refers to patches by name.",
        [],
    )


@dataclass(frozen=True)
class Sizing:
    smallest: float = blank(
        "length",
        "smallest edge",
        "Small enough for the features that matter; nothing gets finer.",
        1.0,
        unit="{unit}",
        above=0.0,
    )
    largest: float = blank(
        "length", "largest edge", "Under a tenth of the passage.", 10.0, unit="{unit}", above=0.0
    )
    angle: float = blank(
        "angle",
        "turn per edge",
        "18° gives 20 edges around a circle; 10° is fine, 30° is coarse.",
        18.0,
        unit="°",
        least=2.0,
        most=60.0,
    )
    growth: float = blank(
        "number",
        "growth",
        "About 1.2; 1.05 is fine and expensive, above 1.4 rarely.",
        1.2,
        above=1.0,
        most=2.0,
    )
    gap_cells: float = blank(
        "number",
        "cells across a gap",
        "Two at the least, so that no cell spans a gap; 0 for none.",
        2.0,
        least=0.0,
        most=20.0,
    )

    def __post_init__(self) -> None:
        if self.smallest > self.largest:
            raise SettingRejected(
                "sizing.smallest",
                f"The smallest edge {self.smallest:g} is larger than the largest "
                f"{self.largest:g}. Lower it, or raise the largest.",
            )


@dataclass(frozen=True)
class SurfaceMesh:
    passes: int = blank(
        "integer",
        "passes",
        "Nine settle nearly every surface; more only polish.",
        9,
        least=4,
        most=40,
    )


@dataclass(frozen=True)
class VolumeMesh:
    passes: int = blank(
        "integer",
        "improvement passes",
        "Eight reach the figures on ordinary parts.",
        8,
        least=0,
        most=60,
    )


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


@dataclass(frozen=True)
class Stage:
    """A stage: key, title, settings, the sentences of its brief, its action, what it needs.

    version is part of every product's key: raise it when the computation changes its result.
    """

    key: str
    title: str
    settings: type
    sentences: tuple[str, ...]
    action: str
    needs: tuple[str, ...]
    version: int = 1


STAGES = (
    Stage(
        "geometry",
        "Geometry",
        Geometry,
        ("The part is read in the unit of its file and measured by the CAD kernel.",),
        "Read the part",
        (),
    ),
    Stage(
        "domain",
        "Domain",
        Domain,
        (
            "Here {where}.",
            "Close the openings {closed} with flat faces, and take the space at {pin}.",
        ),
        "Extract the fluid",
        ("geometry",),
    ),
    Stage(
        "patches",
        "Patches",
        Patches,
        ("Every face of the fluid belongs to one patch: {patches}",),
        "Settle the patches",
        ("domain",),
    ),
    Stage(
        "sizing",
        "Sizing",
        Sizing,
        (
            "Let edges span from {smallest} to {largest}, and turn by {angle} per edge on curves.",
            "Neighbouring edges grow by {growth} at most, and {gap_cells} cells fit across a gap.",
        ),
        "Lay out the sizes",
        ("domain",),
    ),
    Stage(
        "surface",
        "Surface",
        SurfaceMesh,
        ("Mesh the surface of the fluid in {passes} passes of splitting, swapping and smoothing.",),
        "Mesh the surface",
        ("domain", "sizing"),
    ),
    Stage(
        "volume",
        "Volume",
        VolumeMesh,
        ("Fill the fluid with tetrahedra, then raise the worst of them in {passes} passes.",),
        "Fill the volume",
        ("surface", "sizing"),
    ),
    Stage(
        "case",
        "Case",
        Case,
        (
            "The fluid has a density of {density} and a viscosity of {viscosity}.",
            "It enters at {velocity} through the inlets, leaves at {pressure} through the outlets, "
            "and does not slip on walls.",
        ),
        "Set up the case",
        ("volume", "patches"),
    ),
)

BY_KEY = {stage.key: stage for stage in STAGES}


def description() -> list[dict[str, Any]]:
    """All stages with their blanks as plain data: for the API, the schema and the brief."""
    return [
        {
            "key": stage.key,
            "title": stage.title,
            "sentences": list(stage.sentences),
            "action": stage.action,
            "needs": list(stage.needs),
            "blanks": [
                {"name": name, **dataclasses.asdict(b), "choices": [list(c) for c in b.choices]}
                for name, b in blanks_of(stage.settings).items()
            ],
        }
        for stage in STAGES
    ]


def _value_schema(type_: str) -> dict[str, Any]:
    expression = {"type": ["number", "string"]}
    if type_ == "choice":
        return {"type": "string"}
    if type_ == "point":
        return {"type": "array", "items": expression, "minItems": 3, "maxItems": 3}
    if type_ == "names":
        return {"type": "array", "items": {"type": "string"}}
    if type_ == "patches":
        from intaglio.mesh.mesh import PATCH_KINDS

        return {
            "type": "array",
            "items": {
                "type": "object",
                "required": ["name", "kind", "faces"],
                "properties": {
                    "name": {"type": "string", "pattern": "^[A-Za-z][A-Za-z0-9_]{0,30}$"},
                    "kind": {"enum": list(PATCH_KINDS)},
                    "faces": {
                        "anyOf": [
                            {"const": "rest"},
                            {"type": "array", "items": {"type": "string"}},
                        ]
                    },
                },
                "additionalProperties": False,
            },
        }
    return expression


def recipe_schema() -> dict[str, Any]:
    """JSON schema of a recipe file."""
    properties: dict[str, Any] = {
        "recipe": {"const": 1, "description": "version of the recipe format"},
        "part": {"type": "string", "description": "the CAD file, relative to the recipe"},
        "name": {"type": "string"},
        "numbers": {
            "type": "object",
            "additionalProperties": {"type": ["number", "string"]},
            "description": "named numbers for arithmetic in settings",
        },
    }
    for stage in STAGES:
        described = blanks_of(stage.settings)
        if not described:
            continue
        fields = {}
        for name, b in described.items():
            fields[name] = {
                **_value_schema(b.type),
                "title": b.label,
                "description": f"{b.rule}{f' In {b.unit}.' if b.unit else ''}",
            }
            if b.choices:
                fields[name]["enum"] = [key for key, _ in b.choices]
        properties[stage.key] = {
            "type": "object",
            "title": stage.title,
            "properties": fields,
            "additionalProperties": False,
        }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Intaglio recipe",
        "type": "object",
        "required": ["recipe", "part"],
        "properties": properties,
        "additionalProperties": False,
    }
