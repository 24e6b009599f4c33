"""Heat that a flow carries and solids conduct: temperatures for fluxes that do not depend on them.

∇·(c ρu T) = ∇·(k ∇T) over fluids and solids together. Where two zones meet, both sides' faces have
one temperature, at which what flows to the face flows on.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pyamg
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import LinearOperator, gmres

from intaglio.errors import StepFailed
from intaglio.flow.conditions import CARRIED, COUPLED, HELD, PASSES, TAKES, HeatConditions
from intaglio.flow.convection import shares_of
from intaglio.flow.matrix import Pattern, pattern_of
from intaglio.flow.operators import Operators
from intaglio.flow.sweeps import heat_through
from intaglio.mesh.mesh import Floats, Longs

# what is left of the balance of all cells, over the heat that passes, when it is solved
SETTLED = 1e-7
# accuracy and steps of one linear solution, rounds in which the shares of convection are taken
# anew, and in which the rim and the slopes beside it are brought to fit
_ACCURACY, _STEPS, _ROUNDS, _RIM = 1e-2, 40, 12, 2
# corrections that together do not halve what is left: it stands
_STANDS = 8


@dataclass(frozen=True)
class HeatProblem:
    """Operators of all cells, conditions, heat capacity (n,) in J/(kg K), conductivity (n,) in
    W/(m K), and the temperature (n,) in K that is taken where nothing fixes one."""

    ops: Operators
    held: HeatConditions
    capacity: Floats
    conductivity: Floats
    usual: Floats


@dataclass(frozen=True)
class Warmth:
    """Temperature of cells (n,) and rim (b,) in K; heat (b,) in W into the cells through the rim:
    conducted, and carried by what flows, from `reference` in K on; rate (b,) in W/K of heat
    capacity out; residual: what is left of the cells' balances, over the heat that passes."""

    temperature: Floats
    rim: Floats
    conducted: Floats
    carried: Floats
    rate: Floats
    reference: float
    residual: float


@dataclass(frozen=True)
class _Walls:
    """The rim to conduction: height (b,) of the centroids over the faces in m, beside (b, 3): from
    the centroid to the foot of the face's middle in m, size (b,) in m², conductance (b,) of the
    cell's own part in W/K."""

    height: Floats
    beside: Floats
    size: Floats
    conductance: Floats


def warm(
    problem: HeatProblem,
    flux: Floats,
    most: int,
    stop: Callable[[], bool] = lambda: False,
    tell: Callable[[int, float], None] = lambda number, left: None,
) -> Warmth:
    """Temperatures that fit mass fluxes (i + b,) in kg/s, after at most so many corrections, or
    when they hardly help any more; tell is given the number of each and what is left. Raises
    StepFailed where heat goes in that nothing lets out."""
    left: list[float] = []
    for last in warmed(problem, flux, most, stop):
        left.append(last.residual)
        tell(len(left), last.residual)
        if len(left) > _ROUNDS + _STANDS and left[-1] > 0.5 * left[-1 - _STANDS]:
            break
    return last


def warmed(
    problem: HeatProblem, flux: Floats, most: int, stop: Callable[[], bool] = lambda: False
) -> Iterator[Warmth]:
    """The temperatures after each correction.

    With the shares of its bounded convection held fixed the problem is linear and is solved so. The
    shares are the mean of what follows from the solutions so far, as two of them may lead to each
    other for ever, and after some rounds they stay.
    """
    ops, held = problem.ops, problem.held
    v, count = ops.volumes, len(ops.volumes.links.left)
    carried = ops.at_faces(problem.capacity) * flux[:count]
    rim_carried = problem.capacity[v.rim.cell] * flux[count:]
    enters = (held.kind == CARRIED) & (rim_carried < 0)
    balance = _Balance(problem, _walls(problem), carried, rim_carried, enters)
    matrix, pins = _matrix(balance)
    inverse = _multigrid(matrix)
    reference = _mean_given(problem, enters)
    stays = np.zeros(v.count)
    stays[pins] = 0.5 * matrix.diagonal()[pins]
    temperature = np.full(v.count, reference)
    temperature[pins] = problem.usual[pins]
    rim = temperature[v.rim.cell].copy()
    shares = np.zeros(count)
    for round_ in range(most):
        if 0 < round_ <= _ROUNDS:
            slope = ops.gradient(temperature, rim)
            new = shares_of(ops, temperature, slope, carried)
            shares = shares + (new - shares) / round_
        fixed = np.where((held.kind == HELD) | (held.kind == PASSES) | enters, held.temperature, 0)
        flow = balance.of(temperature - reference, fixed - reference, held.flux, shares)
        lost = flow.lost + stays * (temperature - problem.usual)
        rim = flow.rim + reference
        passing = float(np.abs(flow.conducted).sum() + np.abs(flow.brought).sum())
        # against rounding where hardly anything passes
        least = 1e-9 * float((np.abs(matrix.diagonal() * temperature)).sum()) + 1e-300
        residual = float(np.abs(lost).sum()) / max(passing, least)
        yield Warmth(
            temperature, rim, flow.conducted, flow.brought, rim_carried, reference, residual
        )
        if residual < SETTLED or stop():
            return
        none = np.zeros(len(rim))

        def changed(x: Floats, shares: Floats = shares, none: Floats = none) -> Floats:
            return balance.of(x.ravel(), none, none, shares).lost + stays * x.ravel()

        whole = LinearOperator((v.count, v.count), matvec=changed, dtype=float)
        change, _ = gmres(whole, -lost, rtol=_ACCURACY, restart=_STEPS, maxiter=1, M=inverse)
        temperature = temperature + change


@dataclass(frozen=True)
class _Flow:
    """What is left of each cell's balance (n,) in W, temperature of the rim (b,), heat conducted
    (b,) and brought (b,) into the cells."""

    lost: Floats
    rim: Floats
    conducted: Floats
    brought: Floats


@dataclass(frozen=True)
class _Balance:
    """The balance of heat of every cell, linear in temperatures, given ones and fluxes; carried
    (i,), rim_carried (b,): heat capacity that flows, in W/K; enters (b,): where it comes in."""

    problem: HeatProblem
    walls: _Walls
    carried: Floats
    rim_carried: Floats
    enters: NDArray[np.bool_]

    @cached_property
    def grown(self) -> Floats:
        """Capacity (n,) in W/K that flows out of cells and not in: nothing, once the flow is
        balanced; until then it is to make no heat."""
        flows = np.concatenate([self.carried, self.rim_carried])
        return self.problem.ops.leaving(flows)

    @cached_property
    def conductivity(self) -> Floats:
        """Conductivity (i,) at the links in W/(m K)."""
        return self.problem.ops.at_faces(self.problem.conductivity)

    def of(self, temperature: Floats, given: Floats, taken: Floats, shares: Floats) -> _Flow:
        """Of temperatures (n,), what the rim is held at or has around it (b,), and fluxes (b,)."""
        ops = self.problem.ops
        k, cell = ops.volumes.links, ops.volumes.rim.cell
        # the rim follows from the cells' slopes, and these from the rim
        rim = self._rim(temperature, temperature[cell], given, taken)
        for _ in range(_RIM):
            slope = ops.gradient(temperature, rim)
            over = temperature[cell] + (slope[cell] * self.walls.beside).sum(axis=1)
            rim = self._rim(temperature, over, given, taken)
        slope = ops.gradient(temperature, rim)
        over = temperature[cell] + (slope[cell] * self.walls.beside).sum(axis=1)
        # the last time too: else what one side of a face gives the other would not take
        rim = self._rim(temperature, over, given, taken)
        conducts = np.isin(self.problem.held.kind, (HELD, PASSES, COUPLED)) | self.enters
        conducted = np.where(conducts, self.walls.conductance * (rim - over), 0.0)
        takes = self.problem.held.kind == TAKES
        conducted = np.where(takes, taken * self.walls.size, conducted)
        brought = -self.rim_carried * np.where(self.enters, rim, temperature[cell])
        out = heat_through(
            k.left, k.right, k.way, k.area, k.share, k.beside, ops.over, self.carried,
            self.conductivity, temperature, slope, shares,
        )  # fmt: skip
        lost = ops.leaving(np.concatenate([out, -conducted - brought]))
        return _Flow(lost - temperature * self.grown, rim, conducted, brought)

    def _rim(self, temperature: Floats, over: Floats, given: Floats, taken: Floats) -> Floats:
        """Temperature (b,) of the rim's faces; over (b,): of the cells' points right over them."""
        held, own = self.problem.held, self.walls.conductance
        out = np.where((held.kind == HELD) | self.enters, given, over)
        out = np.where(held.kind == TAKES, over + taken * self.walls.size / own, out)
        beyond = held.coefficient * self.walls.size
        passed = (beyond * given + own * over) / (beyond + own)
        out = np.where(held.kind == PASSES, passed, out)
        first, second = _pairs(held)
        a, b = own[first], own[second]
        out[first] = out[second] = (a * over[first] + b * over[second]) / (a + b)
        return out


def _walls(problem: HeatProblem) -> _Walls:
    r = problem.ops.volumes.rim
    size = np.maximum(np.linalg.norm(r.area, axis=1), 1e-300)
    normal = r.area / size[:, None]
    height = (r.way * normal).sum(axis=1)
    height = np.maximum(height, 1e-6 * np.linalg.norm(r.way, axis=1) + 1e-300)
    conductance = problem.conductivity[r.cell] * size / height
    return _Walls(height, r.way - height[:, None] * normal, size, conductance)


def _matrix(balance: _Balance) -> tuple[csr_matrix, Longs]:
    """The implicit part: upwind convection, conduction along the ways, conduction through the rim;
    and the cells that stand for regions whose temperature nothing fixes."""
    problem, walls, carried = balance.problem, balance.walls, balance.carried
    ops, held = problem.ops, problem.held
    v = ops.volumes
    first, second = _pairs(held)
    one, other = v.rim.cell[first], v.rim.cell[second]
    a, b = walls.conductance[first], walls.conductance[second]
    bond = a * b / (a + b)
    left, right = np.concatenate([v.links.left, one]), np.concatenate([v.links.right, other])
    pattern = pattern_of(left, right, v.count)
    stiff = ops.at_faces(problem.conductivity) * ops.over
    of_left = np.concatenate([-stiff + np.minimum(carried, 0.0), -bond])
    of_right = np.concatenate([-stiff - np.maximum(carried, 0.0), -bond])
    own = walls.conductance
    through = 1.0 / (1.0 / own + 1.0 / np.maximum(held.coefficient * walls.size, 1e-300))
    anchor = np.where(held.kind == HELD, own, 0.0)
    anchor += np.where(held.kind == PASSES, through, 0.0)
    anchor += np.where(balance.enters, own - balance.rim_carried, 0.0)
    at_rim = np.asarray(np.bincount(v.rim.cell, anchor, v.count), float)
    diagonal = at_rim - pattern.sums(of_left, of_right)
    pins = _pins(problem, pattern, at_rim, walls)
    diagonal[pins] *= 2.0
    return pattern.matrix(of_left, of_right, diagonal), pins


def given_range(problem: HeatProblem, warmth: Warmth) -> tuple[float, float] | None:
    """The least and the most in K of what is given: without sources no temperature lies beyond;
    none where fluxes are given, or nothing is."""
    held = problem.held
    if (held.kind == TAKES).any():
        return None
    enters = (held.kind == CARRIED) & (warmth.rate < 0.0)
    given = held.temperature[(held.kind == HELD) | (held.kind == PASSES) | enters]
    return (float(given.min()), float(given.max())) if len(given) else None


def _pins(problem: HeatProblem, pattern: Pattern, at_rim: Floats, walls: _Walls) -> Longs:
    """The first cell of each region without a given temperature."""
    n, held, r = pattern.count, problem.held, problem.ops.volumes.rim
    graph = csr_matrix((np.ones(len(pattern.left), np.int8), (pattern.left, pattern.right)), (n, n))
    group = connected_components(graph, directed=False)[1]
    fixed = np.bincount(group, at_rim) > 0
    taken = np.where(held.kind == TAKES, held.flux * walls.size, 0.0)
    net = np.bincount(group[r.cell], taken, len(fixed))
    gross = np.bincount(group[r.cell], np.abs(taken), len(fixed))
    stuck = ~fixed & (np.abs(net) > 1e-9 * gross) & (gross > 0)
    if stuck.any():
        at = problem.ops.volumes.centroid[np.flatnonzero(group == np.flatnonzero(stuck)[0])[:1]]
        raise StepFailed(
            "heat-nowhere",
            "Heat goes into a region that nothing lets out again: no temperature is held, no flow "
            "leaves and nothing passes it on. Give one of its walls a temperature in Case.",
            at.tolist(),
        )
    firsts = np.unique(group, return_index=True)[1]
    return np.asarray(firsts[~fixed], np.int64)


def _pairs(held: HeatConditions) -> tuple[Longs, Longs]:
    """Faces of the rim that lie on each other, each pair once."""
    first = np.flatnonzero((held.kind == COUPLED) & (held.other > np.arange(len(held.kind))))
    return first, held.other[first]


def _mean_given(problem: HeatProblem, enters: NDArray[np.bool_]) -> float:
    """The mean in K of what is given."""
    held = problem.held
    given = (held.kind == HELD) | (held.kind == PASSES) | enters
    return float(held.temperature[given].mean() if given.any() else problem.usual.mean())


def _multigrid(matrix: csr_matrix) -> LinearOperator:
    made = pyamg.ruge_stuben_solver(matrix, max_coarse=300, coarse_solver="splu")
    return made.aspreconditioner(cycle="V")
