"""The stages, their settings in sentences, and what follows from what."""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.recipe.blanks import blank, blanks_of

UNITS = ("mm", "cm", "m", "in", "ft", "µm")
AXES = (("x", "x"), ("y", "y"), ("z", "z"))


@dataclass(frozen=True)
class Geometry:
    unit: str = blank(
        "choice",
        "unit",
        "Measure one length that you know: a flange, a hull.",
        "file",
        choices=(("file", "the unit that the file says"), *((u, u) for u in UNITS)),
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
    )


@dataclass(frozen=True)
class Domain:
    where: str = blank(
        "choice",
        "where the fluid is",
        "A part with walls has its fluid inside; a body stands in its fluid; a body drawn as the "
        "flow passage is the fluid.",
        "inside",
        choices=(
            ("inside", "the fluid is inside the part"),
            ("around", "the fluid is around the part"),
            ("as-is", "the part is the fluid"),
        ),
    )
    closed: list[str] = blank(
        "names",
        "openings to close",
        "Close every opening that leads from the space at the pin to the outside.",
        [],
    )
    pin: list[dict[str, Any]] = blank(
        "pins",
        "pins: fluid here",
        "Any point inside the space that is to be filled; one pin for each zone. A dry pin says "
        "where no fluid may come.",
        [{"name": "fluid", "at": [0, 0, 0], "kind": "fluid"}],
        unit="{unit}",
    )
    solids: list[str] = blank(
        "names",
        "bodies kept as solid zones",
        "Bodies whose heat is of interest; they share their faces with the fluid. * keeps all.",
        [],
    )
    shape: str = blank(
        "choice",
        "enclosing shape",
        "A box for most bodies; a cylinder or frustum where the flow is turned about an axis.",
        "box",
        choices=(
            ("box", "a box"),
            ("cylinder", "a cylinder"),
            ("sphere", "a sphere"),
            ("frustum", "a frustum"),
        ),
    )
    along: str = blank(
        "choice",
        "direction of the flow",
        "The way the fluid goes past the body.",
        "+x",
        choices=tuple((s + a, s + a) for a in "xyz" for s in "+-"),
    )
    ahead: float = blank(
        "number",
        "distance ahead",
        "At least 3 body lengths, 5 are better.",
        5.0,
        unit="body lengths",
        above=0.0,
        most=200.0,
    )
    behind: float = blank(
        "number",
        "distance behind",
        "At least 6 body lengths, 10 are better: the wake must fade.",
        10.0,
        unit="body lengths",
        above=0.0,
        most=200.0,
    )
    aside: float = blank(
        "number",
        "distance aside",
        "At least 3 body lengths; the body should block under 3 % of the section.",
        5.0,
        unit="body lengths",
        above=0.0,
        most=200.0,
    )
    above: float = blank(
        "number",
        "distance above",
        "As aside.",
        5.0,
        unit="body lengths",
        above=0.0,
        most=200.0,
    )
    below: float = blank(
        "number",
        "distance below",
        "As aside; for a body near the ground, its distance from it.",
        5.0,
        unit="body lengths",
        above=0.0,
        most=200.0,
    )
    widening: float = blank(
        "number",
        "widening",
        "Radius of the frustum behind over that ahead.",
        1.5,
        above=0.1,
        most=10.0,
    )
    symmetry: str = blank(
        "choice",
        "symmetry plane",
        "Half the cells, where body and flow are the same on both sides.",
        "none",
        choices=(
            ("none", "the whole of it"),
            ("x", "half of it, from a plane across x on"),
            ("y", "half of it, from a plane across y on"),
            ("z", "half of it, from a plane across z on"),
        ),
    )
    symmetry_at: float = blank(
        "number", "place of the plane", "The middle of the body.", 0.0, unit="{unit}"
    )
    cut: str = blank(
        "choice",
        "part of it",
        "A flat study takes a section, one cell thick; a turning machine one sector.",
        "all",
        choices=(
            ("all", "all of it"),
            ("section", "a flat section of it"),
            ("sector", "a sector of it"),
        ),
    )
    axis: str = blank(
        "choice", "axis", "Across the section, or about which the sector turns.", "z", choices=AXES
    )
    section_at: float = blank(
        "number", "place of the section", "The middle of the fluid.", 0.0, unit="{unit}"
    )
    thickness: float = blank(
        "length",
        "thickness",
        "Does not matter for the flow; about one edge length.",
        1.0,
        unit="{unit}",
        above=0.0,
    )
    sectors: int = blank(
        "integer",
        "number of sectors",
        "As many as the machine repeats itself.",
        6,
        least=2,
        most=360,
    )
    start: float = blank(
        "number",
        "start angle",
        "Where the first flat side lies; put it between blades, not through one.",
        0.0,
        unit="°",
    )
    through: list[float] = blank(
        "point", "point of the axis", "Any point of the axis.", [0, 0, 0], unit="{unit}"
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
    sizes: list = blank(
        "sizes",
        "sizes of patches and edges",
        "Where one patch or edge matters more than its shape tells: a throat, a trailing edge.",
        [],
    )
    regions: list = blank(
        "regions",
        "refinement regions",
        "Where the flow needs finer cells away from walls: a wake, a jet, a mixing layer.",
        [],
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
    walk_over: float = blank(
        "angle",
        "edge without meaning",
        "0 keeps every edge of the CAD; 5 to 10 walks over the seams of patched-up surfaces.",
        0.0,
        unit="°",
        least=0.0,
        most=40.0,
    )


@dataclass(frozen=True)
class VolumeMesh:
    target: float = blank(
        "angle",
        "aim for the smallest dihedral angle",
        "18° to 25° suits solvers; beyond 30° little can be gained.",
        25.0,
        unit="°",
        least=0.0,
        most=40.0,
    )
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
class Sentence:
    """A sentence with blanks in braces; shown only while each setting of `only` has one of the
    values given there, so that a brief holds no blank without effect."""

    text: str
    only: tuple[tuple[str, tuple[str, ...]], ...] = ()

    def shown(self, settings: Mapping[str, Any]) -> bool:
        return all(settings.get(name) in values for name, values in self.only)


@dataclass(frozen=True)
class Stage:
    """A stage: key, title, settings, the sentences of its brief, its action, what it needs.

    version is part of every product's key: raise it when the computation changes its result.
    """

    key: str
    title: str
    settings: type
    sentences: tuple[Sentence, ...]
    action: str
    needs: tuple[str, ...]
    version: int = 1


_FACETS = (("kind", ("facets",)),)
_INSIDE = (("where", ("inside",)),)
_AROUND = (("where", ("around",)),)
_HALF = (*_AROUND, ("symmetry", ("x", "y", "z")))
_LONG = (*_AROUND, ("shape", ("box", "cylinder", "frustum")))
_BOX = (*_AROUND, ("shape", ("box",)))
_ROUND = (*_AROUND, ("shape", ("cylinder", "frustum")))
_SPHERE = (*_AROUND, ("shape", ("sphere",)))
_FRUSTUM = (*_AROUND, ("shape", ("frustum",)))
_SECTION = (("cut", ("section",)),)
_SECTOR = (("cut", ("sector",)),)

STAGES = (
    Stage(
        "geometry",
        "Geometry",
        Geometry,
        (
            Sentence("Take the numbers of the file in {unit}."),
            Sentence("Tell facets apart into faces at edges sharper than {angle}.", _FACETS),
            Sentence("Then, in this order: {repairs}"),
        ),
        "Read the part",
        (),
    ),
    Stage(
        "domain",
        "Domain",
        Domain,
        (
            Sentence("Here {where}."),
            Sentence("Close the openings {closed} and take the space at {pin}", _INSIDE),
            Sentence("Keep the bodies {solids} as solid zones.", _INSIDE),
            Sentence("It flows {along} through {shape}: {symmetry}.", _AROUND),
            Sentence("The plane lies at {symmetry_at}.", _HALF),
            Sentence("The shape reaches {ahead} ahead and {behind} behind,", _LONG),
            Sentence("{aside} aside, {above} above and {below} below.", _BOX),
            Sentence("and {aside} around.", _ROUND),
            Sentence("The sphere reaches {aside} beyond the body.", _SPHERE),
            Sentence("It widens {widening} times to its end.", _FRUSTUM),
            Sentence("Of this, take {cut}."),
            Sentence("It lies across {axis} at {section_at} and is {thickness} thick.", _SECTION),
            Sentence(
                "It is one of {sectors} about the axis {axis} through {through}, from {start} on.",
                _SECTOR,
            ),
        ),
        "Extract the fluid",
        ("geometry",),
    ),
    Stage(
        "patches",
        "Patches",
        Patches,
        (Sentence("Every face of the fluid belongs to one patch: {patches}"),),
        "Settle the patches",
        ("domain",),
    ),
    Stage(
        "sizing",
        "Sizing",
        Sizing,
        (
            Sentence(
                "Let edges span from {smallest} to {largest}, and turn by {angle} per edge on "
                "curves."
            ),
            Sentence(
                "Neighbouring edges grow by {growth} at most, and {gap_cells} cells fit across a "
                "gap."
            ),
            Sentence("On patches and edges: {sizes}"),
            Sentence("In regions of space: {regions}"),
        ),
        "Lay out the sizes",
        ("domain", "patches"),
        version=2,
    ),
    Stage(
        "surface",
        "Surface",
        SurfaceMesh,
        (
            Sentence(
                "Mesh the surface of the fluid in {passes} passes of splitting, swapping and "
                "smoothing."
            ),
            Sentence("Walk over edges within a patch that turn by less than {walk_over}."),
        ),
        "Mesh the surface",
        ("domain", "sizing", "patches"),
        version=2,
    ),
    Stage(
        "volume",
        "Volume",
        VolumeMesh,
        (
            Sentence(
                "Fill the zones with tetrahedra, then raise the worst of them in {passes} passes "
                "until none has an angle under {target}."
            ),
        ),
        "Fill the volume",
        ("surface", "sizing"),
        version=2,
    ),
    Stage(
        "case",
        "Case",
        Case,
        (
            Sentence("The fluid has a density of {density} and a viscosity of {viscosity}."),
            Sentence(
                "It enters at {velocity} through the inlets, leaves at {pressure} through the "
                "outlets, and does not slip on walls."
            ),
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
            "sentences": [
                {"text": t.text, "only": {k: list(v) for k, v in t.only}} for t in stage.sentences
            ],
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
    if type_ == "faces":
        return {"type": "array", "items": {"type": "string"}}
    if type_ == "pins":
        point = {"type": "array", "items": expression, "minItems": 3, "maxItems": 3}
        pin = {
            "type": "object",
            "required": ["at"],
            "properties": {
                "name": {"type": "string"},
                "at": point,
                "kind": {"enum": ["fluid", "dry"]},
            },
            "additionalProperties": False,
        }
        return {"anyOf": [point, {"type": "array", "items": pin, "minItems": 1}]}
    if type_ in ("sizes", "regions"):
        from intaglio.recipe.local_sizes import rows_schema

        return rows_schema(type_)
    if type_ == "operations":
        return {"type": "array", "items": {"anyOf": _operation_schemas()}}
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


def _operation_schemas() -> list[dict[str, Any]]:
    from intaglio.recipe.operations import OPERATIONS

    out = []
    for operation in OPERATIONS:
        fields: dict[str, Any] = {"do": {"const": operation.key}, "on": {"type": "boolean"}}
        for name, b in blanks_of(operation.settings).items():
            fields[name] = {**_value_schema(b.type), "title": b.label, "description": b.rule}
            if b.choices:
                fields[name]["enum"] = [key for key, _ in b.choices]
        out.append(
            {
                "type": "object",
                "title": operation.title,
                "required": ["do"],
                "properties": fields,
                "additionalProperties": False,
            }
        )
    return out


def recipe_schema() -> dict[str, Any]:
    """JSON schema of a recipe file."""
    properties: dict[str, Any] = {
        "recipe": {"const": 1, "description": "version of the recipe format"},
        "part": {
            "anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}],
            "description": "the geometry file or files, relative to the recipe",
        },
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
