"""Steady incompressible laminar flow: momentum and pressure in turn until both hold.

A SIMPLE-type iteration (S. V. Patankar, D. B. Spalding, Int. J. Heat Mass Transfer 15 (1972) 1787).
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from pyamg.relaxation.relaxation import gauss_seidel

from intaglio.errors import StepFailed
from intaglio.findings import PLACES
from intaglio.flow.conditions import PRESSURE, RATE, SLIP, TOTAL, Conditions
from intaglio.flow.matrix import Pattern, pattern_of
from intaglio.flow.momentum import Field, Fluid, Momentum, momentum
from intaglio.flow.operators import Carrying, Operators, carrying_of, inverted
from intaglio.flow.pressure import Poisson, link_ease, link_flux, rim_flux, slope_counts
from intaglio.mesh.mesh import Floats, Longs

# share of a step of the velocities and of the pressure (J. H. Ferziger, M. Perić, 7.4.2: together
# about one); sweeps over the velocities' equations; accuracy of the pressure's
_RELAX, _EASED, _SWEEPS, _ACCURACY = 0.9, 0.2, 4, 0.02
# all residuals under this: converged
CONVERGED = 1e-6
# speeds beyond these multiples of the fastest known one are suspect, and no flow any more
_FAST, _WILD = 30.0, 1e4


@dataclass(frozen=True)
class Residuals:
    """Of one iteration: what is left of the momentum equations by axis (3,), over what stands on
    their diagonal, and of the mass balance, over what flows through."""

    momentum: tuple[float, float, float]
    mass: float

    @property
    def worst(self) -> float:
        return max(*self.momentum, self.mass)


@dataclass(frozen=True)
class Problem:
    """All that does not change while a flow is computed; carried: how the pressure is
    carried on from cells, and from where it is given, to the rest of the rim; counts (i,): how much
    of its mean slope counts at links; force (n, 3): on the fluid, in N/m³, if any."""

    ops: Operators
    carried: Carrying
    counts: Floats
    pattern: Pattern
    poisson: Poisson
    held: Conditions
    fluid: Fluid
    force: Floats | None = None


def problem_of(
    ops: Operators, held: Conditions, fluid: Fluid, force: Floats | None = None
) -> Problem:
    """A problem with its matrices' pattern and regions."""
    k = ops.volumes.links
    pattern = pattern_of(k.left, k.right, ops.volumes.count)
    carried = carrying_of(ops.volumes, held.level)
    counts = slope_counts(ops, carried)
    poisson = Poisson(ops, pattern, held.level)
    return Problem(ops, carried, counts, pattern, poisson, held, fluid, force)


def at_rest(problem: Problem) -> Field:
    """No flow but where the rim says one."""
    v, held = problem.ops.volumes, problem.held
    b = len(v.rim.cell)
    field = Field(
        np.zeros((v.count, 3)),
        held.velocity.copy(),
        np.zeros(v.count),
        np.where(held.kind == PRESSURE, held.pressure, 0.0),
        np.zeros(len(v.links.left) + b),
        np.zeros((len(v.links.left), 3), np.float32),
    )
    return _with_rim_flux(problem, field, _given_flux(problem))


def potential(problem: Problem) -> Field:
    """The flow without friction that has the rim's given fluxes, to begin with; at rest where
    nothing is given to flow (J. H. Ferziger, M. Perić, Computational Methods for Fluid
    Dynamics)."""
    ops, field = problem.ops, at_rest(problem)
    v, count = ops.volumes, len(ops.volumes.links.left)
    given = field.flux[count:]
    if not np.abs(given).max(initial=0.0):
        return field
    strength = ops.over.copy()
    rim_strength = np.where(problem.held.level, ops.rim_over, 0.0)
    total = np.asarray(np.bincount(v.rim.cell, given, v.count), float)
    poisson = Poisson(ops, problem.pattern, problem.held.level)
    x = poisson.solve(strength, rim_strength, -total, 1e-4)
    links = -strength * (x[v.links.right] - x[v.links.left])
    rim = np.where(problem.held.level, rim_strength * x[v.rim.cell], given)
    flux = np.concatenate([links, rim])
    velocity = _from_flux(ops, problem.fluid, flux)
    return _with_rim(problem, replace(field, velocity=velocity, flux=flux))


def iterations(
    problem: Problem, field: Field, most: int, stop: Callable[[], bool] = lambda: False
) -> Iterator[tuple[Field, Residuals]]:
    """The field after each iteration with its residuals, until it is converged, `most` were made,
    or it is to stop. Raises StepFailed with places where it grows beyond all bounds."""
    began: Longs | None = None
    for _ in range(most):
        field, left = iterate(problem, field)
        fast = _beyond(problem, field, _FAST)
        # the first of those that have been too fast ever since
        began = None if not len(fast) else fast if began is None else began
        if began is not None and len(_beyond(problem, field, _WILD)):
            raise Diverged(began, problem.ops.volumes.centroid[began[:PLACES]].tolist())
        yield field, left
        if left.worst < CONVERGED or stop():
            return


def iterate(problem: Problem, field: Field) -> tuple[Field, Residuals]:
    """One iteration."""
    ops, fluid, held = problem.ops, problem.fluid, problem.held
    v = ops.volumes
    count = len(v.links.left)
    before = field
    equations = momentum(ops, problem.pattern, held, fluid, field, _RELAX)
    if problem.force is not None:
        equations.source[:] += v.volume[:, None] * problem.force
    left = _left(equations, field.velocity)
    velocity = np.empty_like(field.velocity)
    for c in range(3):
        x = np.ascontiguousarray(field.velocity[:, c])
        gauss_seidel(equations.matrices[c], x, equations.source[:, c].copy(), _SWEEPS, "symmetric")
        velocity[:, c] = x
    field = _with_rim(problem, replace(field, velocity=velocity))
    ease = v.volume * _RELAX / np.maximum(equations.diagonal, 1e-300)
    slope = ops.gradient(field.pressure, field.rim_pressure)
    density = ops.at_faces(fluid.density)
    carried = density * ops.through(before.velocity, equations.slope)
    lag = (1.0 - _RELAX) * (before.flux[:count] - carried)
    eased = link_ease(ops, ease)
    links = link_flux(ops, fluid, field, eased, problem.counts, slope, lag)
    rim = _rates(problem, field, rim_flux(ops, held, fluid, field, ease, slope))
    flux = np.concatenate([links, rim])
    lost = ops.leaving(flux)
    strength = density * eased * ops.over
    rim_strength = np.where(
        held.level, fluid.density[v.rim.cell] * ease[v.rim.cell] * ops.rim_over, 0.0
    )
    x = problem.poisson.solve(strength, rim_strength, -lost, _ACCURACY)
    links = links - strength * (x[v.links.right] - x[v.links.left])
    rim = rim + rim_strength * x[v.rim.cell]
    rim_x = np.where(held.level, 0.0, x[v.rim.cell])
    velocity = field.velocity - ease[:, None] * ops.gradient(x, rim_x)
    field = replace(
        field,
        velocity=velocity,
        pressure=field.pressure + _EASED * x,
        flux=np.concatenate([links, rim]),
        shares=equations.shares,
    )
    through = _through(problem, field)
    mass = float(np.abs(lost).sum() / through) if through > 0 else 0.0
    return _with_rim(problem, field), Residuals(left, mass)


def _left(equations: Momentum, velocity: Floats) -> tuple[float, float, float]:
    """What is left of the equations, over the diagonal times the speeds, or what drives them."""
    scale = float((equations.diagonal * np.linalg.norm(velocity, axis=1)).sum())
    # from rest what drives it
    scale = max(scale, float(np.abs(equations.source).sum()))
    x, y, z = (
        float(np.abs(equations.source[:, c] - matrix @ velocity[:, c]).sum())
        for c, matrix in enumerate(equations.matrices)
    )
    if scale <= 0:
        # at rest: all is well if nothing drives it
        return float(x > 0), float(y > 0), float(z > 0)
    return x / scale, y / scale, z / scale


def _through(problem: Problem, field: Field) -> float:
    """Mass that flows through: what comes in at the rim, or between cells where all is closed."""
    count = len(problem.ops.volumes.links.left)
    entering = float(-np.minimum(field.flux[count:], 0.0).sum())
    inside = float(np.abs(field.flux[:count]).sum())
    return entering if entering > 1e-12 * inside else inside


def _given_flux(problem: Problem) -> Floats:
    """Mass flux (b,) out through the rim as far as it is given."""
    r, held = problem.ops.volumes.rim, problem.held
    flux = problem.fluid.density[r.cell] * (held.velocity * r.area).sum(axis=1)
    flux = np.where(held.given, flux, 0.0)
    rated = held.kind == RATE
    size = np.linalg.norm(r.area, axis=1)
    whole = np.bincount(held.patch, size)
    return np.where(rated, held.rate * size / whole[held.patch], flux)


def _rates(problem: Problem, field: Field, flux: Floats) -> Floats:
    """The rim's flux with whole patches' rates spread as the flow comes at them."""
    held = problem.held
    rated = held.kind == RATE
    if not rated.any():
        return flux
    r = problem.ops.volumes.rim
    size = np.linalg.norm(r.area, axis=1)
    way = np.sign(held.rate)
    towards = np.maximum(way * (field.velocity[r.cell] * r.area).sum(axis=1), 1e-3 * size)
    whole = np.bincount(held.patch, np.where(rated, towards, 0.0))
    return np.where(rated, held.rate * towards / np.maximum(whole[held.patch], 1e-300), flux)


def _with_rim_flux(problem: Problem, field: Field, rim: Floats) -> Field:
    count = len(problem.ops.volumes.links.left)
    return replace(field, flux=np.concatenate([field.flux[:count], rim]))


def _with_rim(problem: Problem, field: Field) -> Field:
    """The field with what follows at the rim: velocities where they are free, pressures where only
    velocities are given."""
    ops, held = problem.ops, problem.held
    r = ops.volumes.rim
    count = len(ops.volumes.links.left)
    own = field.velocity[r.cell]
    size = np.linalg.norm(r.area, axis=1)
    normal = r.area / np.maximum(size, 1e-300)[:, None]
    out = field.flux[count:]
    through = (out / (problem.fluid.density[r.cell] * np.maximum(size, 1e-300)))[:, None] * normal
    velocity = np.where(held.given[:, None], held.velocity, own)
    slipping = own - (own * normal).sum(axis=1)[:, None] * normal
    velocity = np.where((held.kind == SLIP)[:, None], slipping, velocity)
    # what comes in where a pressure holds comes in at right angles
    entering = (held.level & (out < 0)) | (held.kind == RATE)
    velocity = np.where(entering[:, None], through, velocity)
    reached = problem.carried.to_rim(field.pressure, field.rim_pressure)
    speed = np.linalg.norm(velocity, axis=1)
    dynamic = np.where(out < 0, 0.5 * problem.fluid.density[r.cell] * speed**2, 0.0)
    pressure = np.where(held.kind == PRESSURE, held.pressure, reached)
    pressure = np.where(held.kind == TOTAL, held.pressure - dynamic, pressure)
    return replace(field, rim_velocity=velocity, rim_pressure=pressure)


def _from_flux(ops: Operators, fluid: Fluid, flux: Floats) -> Floats:
    """Velocity (n, 3) of cells that fits the fluxes through their faces best."""
    v = ops.volumes
    area = np.concatenate([v.links.area, v.rim.area])
    density = np.concatenate([ops.at_faces(fluid.density), fluid.density[v.rim.cell]])
    size = np.maximum(np.linalg.norm(area, axis=1), 1e-300)
    k, r, n = v.links, v.rim, v.count
    cells = np.concatenate([k.left, k.right, r.cell])
    faces = np.arange(len(area))
    faces = np.concatenate([faces[: len(k.left)], faces])
    moment = np.empty((n, 6))
    for at, (a, c) in enumerate(((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))):
        moment[:, at] = np.bincount(cells, (area[:, a] * area[:, c] / size)[faces], n)
    right = np.stack(
        [np.bincount(cells, (flux / density * area[:, a] / size)[faces], n) for a in range(3)], 1
    )
    i = inverted(moment)
    return np.stack(
        [
            i[:, 0] * right[:, 0] + i[:, 1] * right[:, 1] + i[:, 2] * right[:, 2],
            i[:, 1] * right[:, 0] + i[:, 3] * right[:, 1] + i[:, 4] * right[:, 2],
            i[:, 2] * right[:, 0] + i[:, 4] * right[:, 1] + i[:, 5] * right[:, 2],
        ],
        axis=1,
    )


class Diverged(StepFailed):
    """The iteration grew beyond all bounds; cells (k,): where that began, in the volumes."""

    def __init__(self, cells: Longs, places: list[list[float]]):
        super().__init__(
            "diverged",
            f"The iteration grew beyond all bounds. It began in {len(cells)} cells.",
            places,
        )
        self.cells = cells


def _beyond(problem: Problem, field: Field, bound: float) -> Longs:
    """Cells (k,) that hold no number, or are faster than a multiple of what is known to flow; the
    fastest first."""
    known = np.linalg.norm(problem.held.velocity, axis=1).max(initial=0.0)
    speed = np.linalg.norm(field.velocity, axis=1)
    bad = ~np.isfinite(speed) | ~np.isfinite(field.pressure)
    if known > 0:
        bad |= speed > bound * known
    cells = np.flatnonzero(bad)
    return cells[np.argsort(-np.nan_to_num(speed[cells], nan=np.inf), kind="stable")]
