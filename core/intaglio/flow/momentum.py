"""The momentum equations: convection by a bounded scheme of second order, diffusion corrected for
faces that stand obliquely, all but first-order convection and the orthogonal part explicitly."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_matrix

from intaglio.flow.conditions import SLIP, Conditions
from intaglio.flow.convection import beyond_upwind, bounded_share
from intaglio.flow.matrix import Pattern
from intaglio.flow.operators import Operators
from intaglio.mesh.mesh import Floats


@dataclass(frozen=True)
class Fluid:
    """Density (n,) in kg/m³ and dynamic viscosity (n,) in Pa·s of every cell."""

    density: Floats
    viscosity: Floats


@dataclass(frozen=True)
class Field:
    """Velocity of cells (n, 3) and rim (b, 3) in m/s, pressure (n,) and (b,) in Pa, mass flux of
    links and rim (i + b,) in kg/s, from left to right and outward."""

    velocity: Floats
    rim_velocity: Floats
    pressure: Floats
    rim_pressure: Floats
    flux: Floats


@dataclass(frozen=True)
class Momentum:
    """matrix @ u = source by axis, source (n, 3), with under-relaxation; diagonal (n,) and sum of
    the neighbours' coefficients (n,) without it, and without what planes of slip add."""

    matrices: tuple[csr_matrix, csr_matrix, csr_matrix]
    source: Floats
    diagonal: Floats
    neighbours: Floats


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
    matrices: list[csr_matrix] = []
    at_rim = np.bincount(v.rim.cell, rub, v.count)
    diagonal = neighbours + at_rim
    source = -v.volume[:, None] * ops.pull(field.pressure, field.rim_pressure)
    for c in range(3):
        rim = field.rim_velocity[:, c]
        own = field.velocity[:, c]
        slope = ops.gradient(own, rim)
        source[:, c] += np.bincount(
            v.rim.cell,
            rub * rim + across * (rim - (1.0 - share[:, c]) * own[v.rim.cell]),
            v.count,
        )
        higher = flux * beyond_upwind(ops, own, flux, bounded_share(ops, own, slope, flux))
        tilted = ops.at_faces(fluid.viscosity) * (ops.at_faces(slope) * ops.oblique).sum(axis=1)
        rim_tilted = np.where(
            held.given,
            fluid.viscosity[v.rim.cell] * (slope[v.rim.cell] * ops.rim_oblique).sum(axis=1),
            0.0,
        )
        source[:, c] += ops.outward @ np.concatenate([tilted - higher, rim_tilted])
        whole = diagonal
        if slips.any():
            whole = diagonal + np.bincount(v.rim.cell, across * share[:, c], v.count)
        elif c > 0:
            matrices.append(matrices[0])
            source[:, c] += (1.0 - relax) / relax * whole * own
            continue
        source[:, c] += (1.0 - relax) / relax * whole * own
        matrices.append(pattern.matrix(of_left, of_right, whole / relax))
    return Momentum((matrices[0], matrices[1], matrices[2]), source, diagonal, neighbours)
