"""The report of Patches."""

from typing_extensions import TypedDict

from intaglio.stages.reports import StageReport


class PatchRow(TypedDict):
    """A patch and the faces that belong to it."""

    name: str
    kind: str
    faces: list[str]
    area: float


class PatchesReport(StageReport):
    """The patches in their order."""

    unit: str
    patches: list[PatchRow]
