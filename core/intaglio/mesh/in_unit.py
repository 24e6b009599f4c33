"""A mesh with its lengths in another unit."""

from dataclasses import replace

from intaglio.mesh.mesh import Mesh
from intaglio.units import MM_PER_UNIT


def factor(unit: str, other: str) -> float:
    """What a length in a unit is multiplied by to be one in another; exactly 1 for the same."""
    return MM_PER_UNIT[unit] / MM_PER_UNIT[other]


def in_unit(mesh: Mesh, unit: str) -> Mesh:
    """The mesh in another unit of length; the same mesh if it is in that unit."""
    if mesh.unit == unit:
        return mesh
    scale = factor(mesh.unit, unit)
    return replace(
        mesh,
        points=mesh.points * scale,
        unit=unit,
        periodic=tuple(replace(p, shift=p.shift * scale) for p in mesh.periodic),
    )
