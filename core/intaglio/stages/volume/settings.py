"""The settings of Volume."""

from dataclasses import dataclass
from typing import Any

from intaglio.quality.limits import CELLS, SET_WORDS, limit_rows
from intaglio.settings.blanks import blank
from intaglio.stages.volume.dividing import DIVISION_ROWS
from intaglio.stages.volume.ways import WAYS


@dataclass(frozen=True)
class VolumeMesh:
    cells: str = blank(
        "choice",
        "cells",
        "Tetrahedra fill whatever the layers leave.",
        WAYS[0].key,
        choices=tuple((way.key, way.title) for way in WAYS),
    )
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
    limits: str = blank(
        "choice",
        "limits that the mesh is judged by",
        "General is what solvers of second order cope with; strict is what they are quick with.",
        "general",
        choices=SET_WORDS,
    )
    own_limits: list[dict[str, Any]] = blank(
        "limits",
        "limits of one's own",
        "What your solver's manual asks for.",
        [],
        rows=limit_rows(CELLS),
    )
