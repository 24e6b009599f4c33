"""The settings of Volume."""

from dataclasses import dataclass
from typing import Any

from intaglio.settings.blanks import blank
from intaglio.stages.volume.dividing import DIVISION_ROWS


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
    divided: list[dict[str, Any]] = blank(
        "divisions",
        "layers divided again",
        "One thick layer fills fast; divided afterwards it becomes as many as the flow needs.",
        [],
        rows=DIVISION_ROWS,
    )
