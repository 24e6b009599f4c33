"""The fluxes between cells, and the pressure that makes them balance."""

import numpy as np
import pyamg
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import LinearOperator, cg

from intaglio.flow.conditions import Conditions
from intaglio.flow.matrix import Pattern
from intaglio.flow.momentum import Field, Fluid
from intaglio.flow.operators import Carrying, Operators
from intaglio.flow.sweeps import link_fluxes, steepest, tilts
from intaglio.mesh.mesh import Floats, Longs

# a hierarchy of grids is kept as long as it still converges within so many steps
_FEW_STEPS, _MOST_STEPS = 12, 60


def link_flux(
    ops: Operators,
    fluid: Fluid,
    field: Field,
    ease: Floats,
    counts: Floats,
    slope: Floats,
    lag: Floats,
) -> Floats:
    """Mass flux (i,) through links with the pressure's own step between the cells in place of its
    mean slope (C. M. Rhie, W. L. Chow, AIAA J. 21 (1983) 1525); ease (i,), see link_ease; counts
    (i,), see slope_counts; slope (n, 3) of the pressure; lag (i,): what keeps the result free of
    the relaxation (S. Majumdar, Numer. Heat Transfer 13 (1988) 125)."""
    k = ops.volumes.links
    turning = ops.gradient(field.velocity, field.rim_velocity)
    carried = ops.through(field.velocity, turning)
    out = link_fluxes(
        k.left, k.right, k.way, k.share, ops.over, fluid.density, ease, counts, carried,
        field.pressure, slope, lag,
    )  # fmt: skip
    return np.asarray(out)


def rim_flux(
    ops: Operators, held: Conditions, fluid: Fluid, field: Field, ease: Floats, slope: Floats
) -> Floats:
    """Mass flux (b,) out through the rim."""
    r = ops.volumes.rim
    density = fluid.density[r.cell]
    given = density * (field.rim_velocity * r.area).sum(axis=1)
    step = field.rim_pressure - field.pressure[r.cell]
    mean = (slope[r.cell] * r.way).sum(axis=1)
    carried = (field.velocity[r.cell] * r.area).sum(axis=1)
    free = density * (carried - ease[r.cell] * ops.rim_over * (step - mean))
    return np.where(held.level, free, np.where(held.given, given, 0.0))


def link_ease(ops: Operators, ease: Floats) -> Floats:
    """Volume over diagonal of the momentum at links (i,), from that of the cells (n,): the larger
    one, as a sliver beside a cell would else be shut off by its own, and its pressure run away."""
    k = ops.volumes.links
    return np.maximum(ease[k.left], ease[k.right])


def slope_counts(ops: Operators, carried: Carrying) -> Floats:
    """How much of the mean slope counts at links (i,): all of it, unless a pressure of one cell
    alone would tilt the slopes by more than its own step; what damps it would then drive it. So it
    is where a flat cell at a wall has one large neighbour above and many beside it."""
    k, r = ops.volumes.links, ops.volumes.rim
    # what a rim's value moves with its cell's own does not tilt
    reaching = carried.matrix.tocoo()
    at, source = reaching.coords
    mine = source == r.cell[at]
    apart = 1.0 - np.bincount(at[mine], reaching.data[mine], len(r.cell))
    tilt = tilts(k.left, k.right, k.way, r.cell, r.way, apart, ops.inverse)
    return np.asarray(1.0 / steepest(k.left, k.right, k.way, k.share, ops.inverse, tilt))


class Poisson:
    """Equations of the kind Σ c (x_left − x_right) = b, solved by conjugate gradients with an
    algebraic multigrid as preconditioner (smoothed aggregation: P. Vaněk, J. Mandel, M. Brezina,
    Computing 56 (1996) 179), which is made anew when it has become too slow."""

    def __init__(self, ops: Operators, pattern: Pattern, level: NDArray[np.bool_]) -> None:
        self.ops, self.pattern = ops, pattern
        self.group = _groups(ops)
        rim_group = self.group[ops.volumes.rim.cell]
        free = np.ones(self.group.max(initial=-1) + 1, bool)
        free[rim_group[level]] = False
        # cells of regions without a level; the first of each is held
        self.loose = free[self.group]
        self.pins = np.unique(self.group, return_index=True)[1][free]
        self.preconditioner: LinearOperator | None = None
        self.steps = 0

    def solve(
        self, strength: Floats, rim_strength: Floats, source: Floats, tolerance: float
    ) -> Floats:
        """x (n,) for strengths c of links (i,), of rim faces (b,) to x = 0 behind them, and b."""
        v = self.ops.volumes
        diagonal = self.pattern.sums(strength, strength) + np.bincount(
            v.rim.cell, rim_strength, v.count
        )
        diagonal[self.pins] *= 2.0
        matrix = self.pattern.matrix(-strength, -strength, diagonal)
        source = self._balanced(source)
        if not np.abs(source).max(initial=0.0):
            return np.zeros(v.count)
        if self.preconditioner is None or self.steps > _FEW_STEPS:
            self.preconditioner = _multigrid(matrix)
        self.steps = 0

        def count(_: Floats) -> None:
            self.steps += 1

        x, _ = cg(
            matrix, source, rtol=tolerance, maxiter=_MOST_STEPS, M=self.preconditioner,
            callback=count,
        )  # fmt: skip
        return np.asarray(x - self._means(x))

    def _balanced(self, source: Floats) -> Floats:
        """Without what no solution could balance, in regions without a level."""
        return source - self._means(source)

    def _means(self, values: Floats) -> Floats:
        if not self.loose.any():
            return np.zeros(len(values))
        size = np.bincount(self.group)
        mean = np.bincount(self.group, values) / size
        return np.where(self.loose, mean[self.group], 0.0)


def _multigrid(matrix: csr_matrix) -> LinearOperator:
    # forth before and back after, so that the preconditioner is symmetric
    made = pyamg.smoothed_aggregation_solver(
        matrix,
        symmetry="symmetric",
        max_coarse=300,
        coarse_solver="splu",
        presmoother=("gauss_seidel", {"sweep": "forward"}),
        postsmoother=("gauss_seidel", {"sweep": "backward"}),
    )
    return made.aspreconditioner(cycle="V")


def _groups(ops: Operators) -> Longs:
    """The connected region (n,) of each cell."""
    k, n = ops.volumes.links, ops.volumes.count
    graph = csr_matrix((np.ones(len(k.left), np.int8), (k.left, k.right)), shape=(n, n))
    return connected_components(graph, directed=False)[1].astype(np.int64)
