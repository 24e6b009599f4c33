"""`intaglio draft` and `intaglio schema`: a recipe to begin with, and what recipes may hold."""

import argparse
import json

from intaglio.parts.reading import source_of
from intaglio.recipe.drafting import draft
from intaglio.recipe.recipe import write_recipe
from intaglio.recipe.schema import recipe_schema


def draft_recipe(args: argparse.Namespace) -> int:
    """Write a recipe for parts; 0 if they are closed, 1 if not."""
    source = source_of(args.part)
    name = args.part[0].stem
    drafted = draft(source, name, args.fluid)
    base = args.output.resolve().parent
    parts = []
    for path in args.part:
        try:
            parts.append(str(path.resolve().relative_to(base)))
        except ValueError:
            parts.append(str(path.resolve()))
    write_recipe(
        args.output,
        parts[0] if len(parts) == 1 else parts,
        name,
        drafted.settings,
        drafted.reasons,
        drafted.unit,
        drafted.decided,
    )
    print(f"{args.output}: recipe for {name}, {drafted.settings['domain']['where']}")
    for finding in drafted.left:
        print(f"left: {finding['message']} ({finding['count']:,}) {finding['advice']}")
    return 0 if drafted.closed else 1


def schema(args: argparse.Namespace) -> int:
    """Print the JSON schema of recipes; 0."""
    print(json.dumps(recipe_schema(), indent=1, ensure_ascii=False))
    return 0
