"""The report of Layers."""

from typing import NotRequired

from typing_extensions import TypedDict

from intaglio.stages.reports import StageReport


class LayerPatchRow(TypedDict):
    """What grew from a patch: its area, and the shares of it with all layers, with some and with
    none; lowered: the share on which they are lower than asked for by more than a twentieth; count,
    first, total and last: layers asked for and their heights in the middle of the patch's nodes;
    edge: the wall's edge there; faces: those of the patch, whatever it is called by now."""

    name: str
    faces: NotRequired[list[str]]
    area: float
    full: float
    some: float
    none: float
    lowered: float
    count: int
    growth: float
    first: float
    total: float
    last: float
    edge: float


class LayersReport(StageReport):
    """Cells in layers over all, and what grew from each patch that layers are asked for on."""

    unit: str
    cells: int
    patches: list[LayerPatchRow]
