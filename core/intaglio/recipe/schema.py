"""The JSON schema of recipe files, which follows from the stages and their settings."""

from typing import Any

from intaglio.mesh.mesh import PATCH_KINDS
from intaglio.recipe.blanks import blanks_of
from intaglio.recipe.local_sizes import rows_schema
from intaglio.recipe.operations import OPERATIONS
from intaglio.recipe.stages import STAGES


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
        return rows_schema(type_)
    if type_ == "operations":
        return {"type": "array", "items": {"anyOf": _operation_schemas()}}
    if type_ == "patches":
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
