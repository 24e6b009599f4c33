"""The settings of Surface."""

from dataclasses import dataclass

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
