"""The JSON schema of recipe files, which follows from the stages and their settings."""

from typing import Any

from intaglio.recipe.accepted import ACCEPTED
from intaglio.settings.blanks import EXPRESSION, blanks_of, fields_schema
from intaglio.stages.registry import STAGES


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
            "additionalProperties": EXPRESSION,
            "description": "named numbers for arithmetic in settings",
        },
    }
    properties[ACCEPTED] = {
        "type": "object",
        "additionalProperties": {"type": "string"},
        "description": "findings that were let stand, as stage.code, with the reason",
    }
    for stage in STAGES:
        if blanks_of(stage.settings):
            properties[stage.key] = {
                # null where nothing is decided
                "type": ["object", "null"],
                "title": stage.title,
                "properties": fields_schema(stage.settings),
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
