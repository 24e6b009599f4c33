"""The momentum equations: convection by a bounded scheme of second order, diffusion corrected for
faces that stand obliquely, all but first-order convection and the orthogonal part explicitly."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from intaglio.flow.conditions import SLIP, Conditions
from intaglio.flow.matrix import Pattern
from intaglio.flow.operators import Operators
from intaglio.flow.sweeps import beside_upwind
from intaglio.mesh.mesh import Floats

# what is taken of new shares of the bounded convection: taken whole, two sets may lead to each
# other for ever, and residuals stand still
_TAKEN = 0.3


@dataclass(frozen=True)
class Fluid:
    """Density (n,) in kg/m³ and dynamic viscosity (n,) in Pa·s of every cell."""

    density: Floats
    viscosity: Floats


@dataclass(frozen=True)
class Field:
    """Velocity of cells (n, 3) and rim (b, 3) in m/s, pressure (n,) and (b,) in Pa, mass flux of
    links and rim (i + b,) in kg/s, from left to right and outward; shares (i, 3) of the bounded
    convection, the mean of those of the iterations so far."""

    velocity: Floats
    rim_velocity: Floats
    pressure: Floats
    rim_pressure: Floats
    flux: Floats
    shares: NDArray[np.float32]


@dataclass(frozen=True)
class Momentum:
    """matrix @ u = source by axis, source (n, 3), with under-relaxation; diagonal (n,) and sum of
    the neighbours' coefficients (n,) without it, and without what planes of slip add; shares (i, 3)
    of the bounded convection in it, and slope (n, 3, 3) of the velocity that it was made with."""

    matrices: tuple[csr_matrix, csr_matrix, csr_matrix]
    source: Floats
    diagonal: Floats
    neighbours: Floats
    shares: NDArray[np.float32]
    slope: Floats


def momentum(
    ops: Operators, pattern: Pattern, held: Conditions, fluid: Fluid, field: Field, relax: float
) -> Momentum:
    """The linear equations of one iteration; relax: share of a step that is taken."""
    v = ops.volumes
    count = len(v.links.left)
    flux, rim_flux = field.flux[:count], field.flux[count:]
    stiff = ops.at_faces(fluid.viscosity) * ops.over
    of_left = -stiff + np.minimum(flux, 0.0)
    of_right = -stiff - np.maximum(flux, 0.0)
    neighbours = -pattern.sums(of_left, of_right)
    # what the rim adds to diagonal and source: friction where it has a velocity, and what it brings
    rim_stiff = fluid.viscosity[v.rim.cell] * ops.rim_over
    rub = np.where(held.given, rim_stiff, 0.0) - np.minimum(rim_flux, 0.0)
    # along a plane without friction nothing rubs; what moves across it is held
    slips = held.kind == SLIP
    across = np.where(slips, rim_stiff, 0.0)
    size = np.maximum(np.linalg.norm(v.rim.area, axis=1), 1e-300)
    share = np.where(slips[:, None], (v.rim.area / size[:, None]) ** 2, 0.0)
    diagonal = neighbours + np.bincount(v.rim.cell, rub, v.count)
    source = -v.volume[:, None] * ops.gradient(field.pressure, field.rim_pressure)
    slope = ops.gradient(field.velocity, field.rim_velocity)
    shares = field.shares.copy()
    k = v.links
    beside_upwind(
        k.left, k.right, k.way, k.area, k.share, k.beside, ops.over, flux, fluid.viscosity,
        field.velocity, slope, shares, _TAKEN, source,
    )  # fmt: skip
    own = field.velocity[v.rim.cell]
    tilted = (slope[v.rim.cell] * ops.rim_oblique[:, None, :]).sum(axis=2)
    tilted *= np.where(held.given, fluid.viscosity[v.rim.cell], 0.0)[:, None]
    at_rim = rub[:, None] * field.rim_velocity + tilted
    at_rim += across[:, None] * (field.rim_velocity - (1.0 - share) * own)
    matrices: list[csr_matrix] = []
    for c in range(3):
        source[:, c] += np.bincount(v.rim.cell, at_rim[:, c], v.count)
        whole = diagonal
        if slips.any():
            whole = diagonal + np.bincount(v.rim.cell, across * share[:, c], v.count)
        source[:, c] += (1.0 - relax) / relax * whole * field.velocity[:, c]
        if c > 0 and not slips.any():
            matrices.append(matrices[0])
        else:
            matrices.append(pattern.matrix(of_left, of_right, whole / relax))
    made = matrices[0], matrices[1], matrices[2]
    return Momentum(made, source, diagonal, neighbours, shares, slope)
