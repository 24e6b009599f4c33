"""`intaglio warm`: the numeric code compiled and kept, so that no first run waits for it."""

import argparse

from intaglio.recipe.warm import warm


def warm_up(args: argparse.Namespace) -> int:
    """Compile and keep what the stages use; 0."""
    warm()
    return 0
