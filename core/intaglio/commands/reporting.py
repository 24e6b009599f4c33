"""`intaglio report`: a recipe's study on one printable page."""

import argparse
import time
from pathlib import Path

from intaglio.parts.reading import source_of
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import read_recipe
from intaglio.reporting.page import report_page


def report(args: argparse.Namespace) -> int:
    """Run the recipe, write the page; 0."""
    recipe = read_recipe(args.recipe)
    source = source_of([Path(p) for p in recipe.parts])
    store = MemoryStore()
    states = run_to(args.stage, source, recipe.name, recipe.settings, store, numbers=recipe.numbers)
    made = time.strftime("%Y-%m-%d %H:%M")
    page = report_page(states, store, recipe.name, args.recipe.stem, source.name, made)
    args.output.write_text(page, encoding="utf-8")
    print(f"{args.output}: {len(page) / 1e6:.1f} MB")
    return 0
