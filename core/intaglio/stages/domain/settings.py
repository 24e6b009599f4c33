"""The settings of Domain."""

from dataclasses import dataclass
from typing import Any

from intaglio.settings.blanks import blank
from intaglio.stages.domain.pins import PINS

AXES = (("x", "x"), ("y", "y"), ("z", "z"))


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
        rows=PINS,
    )
    solids: list[str] = blank(
        "names",
        "bodies kept as solid zones",
        "Bodies whose heat is of interest; they share their faces with the fluid. * keeps all.",
        [],
    )
    sheets: list[str] = blank(
        "names",
        "sheets kept as walls with two sides",
        "Bodies drawn without a thickness that stand in the fluid: baffles, fins, guide plates. "
        "Each side becomes a patch. * keeps all.",
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
