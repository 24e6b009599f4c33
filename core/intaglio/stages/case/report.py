"""The report of Case."""

from typing_extensions import TypedDict

from intaglio.quality.report import MeshPatchRow
from intaglio.stages.reports import StageReport


class InletRow(TypedDict):
    """An inlet in SI units, and the Reynolds number on its hydraulic diameter."""

    name: str
    area: float
    hydraulic_diameter: float
    reynolds: float


class CaseReport(StageReport):
    """The exported mesh, its patches and inlets, and the files with their bytes."""

    unit: str
    cells: int
    patches: list[MeshPatchRow]
    inlets: list[InletRow]
    valid: bool
    files: dict[str, int]
