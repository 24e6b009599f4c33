"""The settings of each stage, as blanks with their ranges, units and rules of thumb."""

from dataclasses import dataclass
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.recipe.blanks import blank

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
