"""The settings of Surface."""

from dataclasses import dataclass
from typing import Any

from intaglio.quality.limits import SET_WORDS, TRIANGLES, limit_rows
from intaglio.settings.blanks import blank


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
    mend: float = blank(
        "number",
        "finest edge where the surface is mended, over the smallest",
        "0.25 mends nearly everything; 1 lowers no edge under the smallest, 0 mends nothing.",
        0.25,
        least=0.0,
        most=1.0,
    )
    limits: str = blank(
        "choice",
        "limits that the surface is judged by",
        "General is what good cells can still stand on; strict is what they stand on best.",
        "general",
        choices=SET_WORDS,
    )
    own_limits: list[dict[str, Any]] = blank(
        "limits",
        "limits of one's own",
        "What the cells on it, or your solver's manual, ask for.",
        [],
        rows=limit_rows(TRIANGLES),
    )
