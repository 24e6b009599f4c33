"""The settings of Case."""

from dataclasses import dataclass
from typing import Any

from intaglio.case.kinds import (
    CLOSURES,
    CONDITION_ROWS,
    FRAME_ROWS,
    HEAT_ROWS,
    MATERIAL_ROWS,
)
from intaglio.handover.parts import CHOSEN
from intaglio.settings.blanks import blank
from intaglio.settings.kinded import rows_of
from intaglio.units import MM_PER_UNIT


@dataclass(frozen=True)
class Case:
    materials: list[dict[str, Any]] = blank(
        "kinded",
        "materials of the zones",
        "From the library at a temperature, or with properties of your own.",
        [],
        rows=rows_of(MATERIAL_ROWS),
    )
    heat: str = blank(
        "choice",
        "whether heat is computed",
        "With heat, inflows have temperatures and solids conduct.",
        "without",
        choices=(("without", "without"), ("with", "with")),
    )
    closure: str = blank(
        "choice",
        "how turbulence is modelled",
        "The export names it in the standard's words; your solver has its own forms of it.",
        "shear_transport",
        choices=tuple((c.key, c.label) for c in CLOSURES),
    )
    conditions: list[dict[str, Any]] = blank(
        "kinded",
        "conditions on the patches",
        "The first row that names a patch and suits its kind holds; * stands for any letters.",
        [],
        rows=rows_of(CONDITION_ROWS),
    )
    warmth: list[dict[str, Any]] = blank(
        "kinded",
        "heat at the walls",
        "Walls that no row names let no heat through.",
        [],
        rows=rows_of(HEAT_ROWS),
    )
    time: str = blank(
        "choice",
        "whether it is steady",
        "Steady where nothing changes in time but on the way to the solution.",
        "steady",
        choices=(("steady", "steady"), ("unsteady", "unsteady")),
    )
    iterations: int = blank(
        "integer",
        "iterations",
        "Sweeps over all equations until nothing changes; a solver may stop before.",
        1000,
        least=1,
        most=10_000_000,
    )
    step: float = blank(
        "number",
        "time step",
        "A fifth of what the flow takes through a cell suits most schemes.",
        1e-3,
        unit="s",
        above=0.0,
    )
    end: float = blank(
        "number",
        "end time",
        "Until the flow repeats itself a few times, or has settled.",
        1.0,
        unit="s",
        above=0.0,
    )
    gravity: list[float] = blank(
        "point",
        "gravity",
        "0, 0, −9.81 where z is up and buoyancy or weight matters; 0, 0, 0 leaves it out.",
        [0.0, 0.0, 0.0],
        unit="m/s²",
    )
    frames: list[dict[str, Any]] = blank(
        "kinded",
        "turning zones",
        "Their equations are written in a frame that turns with them.",
        [],
        rows=rows_of(FRAME_ROWS),
    )
    expected: list[str] = blank(
        "listed",
        "names that the solver's case expects",
        "Drop in the list of your solver's case: patches are checked against it.",
        [],
    )
    length: str = blank(
        "choice",
        "unit of length of the files",
        "The standard tells the unit; a solver that does not read it mostly expects m.",
        "model",
        choices=(("model", "the model's unit"), *((u, u) for u in MM_PER_UNIT)),
    )
    files: list[str] = blank(
        "several",
        "files",
        "Case, report and a text that explains the rest go along always.",
        [part.key for part in CHOSEN if part.usual],
        choices=tuple((part.key, part.label) for part in CHOSEN),
    )
    numbering: str = blank(
        "choice",
        "numbers of the cells",
        "Near numbers for neighbours keep a solver's matrix narrow, which saves it time.",
        "narrow",
        choices=(("narrow", "narrowly"), ("as_filled", "as filled")),
    )
