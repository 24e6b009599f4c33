"""The report of Case."""

from typing_extensions import TypedDict

from intaglio.quality.report import MeshPatchRow
from intaglio.stages.reports import StageReport


class InflowRow(TypedDict):
    """What enters through a patch, in SI units: mean speed, volume and mass flow, Reynolds number
    on the hydraulic diameter, Mach number (0 where it is not known), intensity as a share, length
    of the eddies."""

    name: str
    area: float
    hydraulic_diameter: float
    reynolds: float
    mach: float
    speed: float
    volume_flow: float
    mass_flow: float
    intensity: float
    eddies: float


class ZoneMaterialRow(TypedDict):
    """A zone with its material: density kg/m³, viscosity Pa·s, heat capacity J/(kg K), conductivity
    W/(m K)."""

    name: str
    material: str
    density: float
    viscosity: float
    heat_capacity: float
    conductivity: float


class CaseReport(StageReport):
    """The exported mesh, its patches, inflows and materials, estimated y+ by wall, and the files
    with their bytes; ready: whether nothing forbids handing it over."""

    unit: str
    cells: int
    patches: list[MeshPatchRow]
    inlets: list[InflowRow]
    materials: list[ZoneMaterialRow]
    yplus: dict[str, float]
    valid: bool
    ready: bool
    files: dict[str, int]
