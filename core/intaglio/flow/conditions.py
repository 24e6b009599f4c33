"""What holds on the faces of the rim, from the conditions of a case."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Floats

# what a face of the rim is to the flow
VELOCITY, WALL, PRESSURE, TOTAL, SLIP, RATE = range(6)


@dataclass(frozen=True)
class Conditions:
    """For each face of the rim: what it is (b,), one of the kinds above; velocity (b, 3) in m/s,
    pressure (b,) in Pa (static, or total), rate (b,) in kg/s of its whole patch; patch (b,) its
    number, and the patches' names."""

    kind: NDArray[np.int8]
    velocity: Floats
    pressure: Floats
    rate: Floats
    patch: NDArray[np.int64]
    names: tuple[str, ...]

    @property
    def given(self) -> NDArray[np.bool_]:
        """Where the velocity is given."""
        return (self.kind == VELOCITY) | (self.kind == WALL)

    @property
    def level(self) -> NDArray[np.bool_]:
        """Where the pressure is given."""
        return (self.kind == PRESSURE) | (self.kind == TOTAL)


# what a face of the rim is to heat
CLOSED, HELD, TAKES, PASSES, COUPLED, CARRIED = range(6)


@dataclass(frozen=True)
class HeatConditions:
    """For each face of the rim of all cells: what it is to heat (b,), one of the kinds above (lets
    none through, is held at a temperature, takes up a flux, passes heat to surroundings, is one
    side of a face between two zones, or lets a flow through that brings what it has); temperature
    (b,) in K, held, around, or brought; flux (b,) in W/m² into the cells; coefficient (b,) in
    W/(m² K); other (b,): of coupled faces the rim's face on the other side, else -1."""

    kind: NDArray[np.int8]
    temperature: Floats
    flux: Floats
    coefficient: Floats
    other: NDArray[np.int64]
