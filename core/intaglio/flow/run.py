"""A flow computed from an exported folder: until it is converged, as far as it was asked for."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from threadpoolctl import threadpool_limits

from intaglio.errors import FileRejected, StepFailed
from intaglio.findings import Finding
from intaglio.flow.heat import Warmth, warm
from intaglio.flow.momentum import Field
from intaglio.flow.reading import Given, read_flow
from intaglio.flow.results import heat_balance, patch_heat, patch_results
from intaglio.flow.solve import (
    CONVERGED,
    Diverged,
    Problem,
    Residuals,
    iterations,
    potential,
    problem_of,
)
from intaglio.flow.trouble import special

# of the temperatures, for what is not implicit
_CORRECTIONS = 200

Tell = Callable[[int, Residuals, Field], None]
Warms = Callable[[int, float], None]


@dataclass(frozen=True)
class Flow:
    """What was computed: the problem, the field, the residuals of every iteration, the
    temperatures, where they are asked for, and what went wrong, if anything did: the field is then
    the last before."""

    given: Given
    problem: Problem
    field: Field
    history: tuple[Residuals, ...]
    warmth: Warmth | None
    trouble: Finding | None

    @property
    def converged(self) -> bool:
        return bool(self.history) and self.history[-1].worst < CONVERGED


def mesh_of(folder: Path) -> Path:
    """The CGNS file of an exported folder. Raises FileRejected."""
    if folder.is_file():
        return folder
    case = folder / "case.yaml"
    if not case.is_file():
        raise FileRejected(
            "no-export", f"{folder} holds no case.yaml: give the folder that was exported."
        )
    path = folder / "mesh.cgns"
    if not path.is_file():
        raise FileRejected(
            "no-mesh", f"{folder} has no mesh.cgns, which the solver reads: export it too."
        )
    return path


def run_flow(
    folder: Path,
    most: int,
    tell: Tell = lambda number, left, field: None,
    stop: Callable[[], bool] = lambda: False,
) -> Flow:
    """Compute the flow of an export, from its potential flow on. Raises FileRejected."""
    given = read_flow(mesh_of(folder))
    return flow_of(given, problem_of(given.ops, given.held, given.fluid), most, tell, stop)


def flow_of(
    given: Given,
    problem: Problem,
    most: int,
    tell: Tell,
    stop: Callable[[], bool],
    before: Field | None = None,
    history: tuple[Residuals, ...] = (),
    warms: Warms = lambda number, left: None,
) -> Flow:
    """Compute so many iterations at the most, after a field and its history if there are any; tell
    is given each iteration's number, residuals and field, warms the number of each correction of
    the temperatures and what is left."""
    made = list(history)
    trouble = warmth = None
    # threads of the linear algebra stand in each other's way where other work runs beside it
    with threadpool_limits(1, "blas"):
        last = potential(problem) if before is None else before
        try:
            for field, left in iterations(problem, last, most, stop):
                last = field
                made.append(left)
                tell(len(made), left, field)
        except Diverged as error:
            cells = given.ops.volumes.cells[error.cells]
            words = f"{error.message} {special(given.mesh, cells)}"
            trouble = Finding(
                "diverged", "error", words, count=len(cells), places=error.places,
                advice="Look at the cells there, and at the conditions near them.",
            )  # fmt: skip
        if trouble is None:
            try:
                # a flow that was stopped has its temperatures all the same
                ended = stop()
                warmth = warmth_of(given, last, lambda: stop() and not ended, warms)
            except StepFailed as error:
                trouble = Finding(error.code, "error", error.message, places=error.places)
    return Flow(given, problem, last, tuple(made), warmth, trouble)


def warmth_of(
    given: Given,
    field: Field,
    stop: Callable[[], bool] = lambda: False,
    tell: Warms = lambda number, left: None,
) -> Warmth | None:
    """The temperatures that a flow leads to."""
    if given.heat is None:
        return None
    # by the mesh's faces: the cells are the fluid's alone there, and all here
    flow, heat = given.ops.volumes, given.heat.ops.volumes
    count = len(flow.links.left)
    of_face = np.zeros(given.mesh.faces)
    of_face[flow.rim.face] = field.flux[count:]
    of_face[flow.links.face] = field.flux[:count]
    flux = np.concatenate([of_face[heat.links.face], of_face[heat.rim.face]])
    return warm(given.heat, flux, _CORRECTIONS, stop, tell)


def told(flow: Flow) -> dict[str, Any]:
    """The results as plain data, SI units."""
    patches: dict[str, Any] = {**patch_results(flow.problem, flow.field)}
    warm = {}
    if flow.warmth is not None:
        heat = patch_heat(flow.given, flow.warmth)
        patches = {n: {**patches.get(n, {}), **own} for n, own in heat.items()}
        warm = {
            "heat_residual": flow.warmth.residual,
            "heat_imbalance": heat_balance(flow.warmth, heat, flow.given.mesh),
        }
    last = flow.history[-1] if flow.history else None
    balance = sum(p.get("mass_flow", 0.0) for p in patches.values())
    through = sum(max(p.get("mass_flow", 0.0), 0.0) for p in patches.values())
    return {
        "cells": flow.problem.ops.volumes.mesh_cells,
        "merged_cells": flow.problem.ops.volumes.merged,
        "iterations": len(flow.history),
        "converged": flow.converged,
        "trouble": None if flow.trouble is None else flow.trouble.message,
        "residuals": None if last is None else {"momentum": list(last.momentum), "mass": last.mass},
        "mass_imbalance": balance / through if through > 0 else 0.0,
        "fastest": float(np.linalg.norm(flow.field.velocity, axis=1).max(initial=0.0)),
        **warm,
        "patches": patches,
    }
