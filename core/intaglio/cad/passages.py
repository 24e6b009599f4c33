"""The body in which openings are looked for."""

from intaglio.cad.part import Part
from intaglio.cad.repair import united
from intaglio.errors import StepFailed


def passages_part(part: Part) -> Part:
    """The part in which openings are looked for: all solids as one, so that a space between
    several of them is bounded by one surface."""
    if len(part.solids) < 2:
        return part
    try:
        return united(part)[0]
    except StepFailed:
        return part
