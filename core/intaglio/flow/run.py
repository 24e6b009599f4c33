"""A flow computed from an exported folder: until it is converged, as far as it was asked for."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from threadpoolctl import threadpool_limits

from intaglio.errors import FileRejected
from intaglio.flow.heat import Warmth, warm
from intaglio.flow.momentum import Field
from intaglio.flow.reading import Given, read_flow
from intaglio.flow.results import patch_heat, patch_results
from intaglio.flow.solve import (
    CONVERGED,
    Problem,
    Residuals,
    iterations,
    potential,
    problem_of,
)

# of the temperatures, for what is not implicit
_CORRECTIONS = 200

Tell = Callable[[int, Residuals], None]


@dataclass(frozen=True)
class Flow:
    """What was computed: the problem, the field, the residuals of every iteration, and the
    temperatures, where they are asked for."""

    given: Given
    problem: Problem
    field: Field
    history: tuple[Residuals, ...]
    warmth: Warmth | None

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
    tell: Tell = lambda number, left: None,
    stop: Callable[[], bool] = lambda: False,
) -> Flow:
    """Compute the flow of an export. Raises FileRejected, and StepFailed with places where it grows
    beyond all bounds."""
    # threads of the linear algebra stand in each other's way where other work runs beside it
    with threadpool_limits(1, "blas"):
        return _run(read_flow(mesh_of(folder)), most, tell, stop)


def _run(given: Given, most: int, tell: Tell, stop: Callable[[], bool]) -> Flow:
    problem = problem_of(given.ops, given.held, given.fluid)
    last = potential(problem)
    history: list[Residuals] = []
    for field, left in iterations(problem, last, most, stop):
        last = field
        history.append(left)
        tell(len(history), left)
    return Flow(given, problem, last, tuple(history), warmth_of(given, last))


def warmth_of(given: Given, field: Field) -> Warmth | None:
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
    return warm(given.heat, flux, _CORRECTIONS)


def told(flow: Flow) -> dict[str, Any]:
    """The results as plain data, SI units."""
    patches: dict[str, Any] = {**patch_results(flow.problem, flow.field)}
    warm = {}
    if flow.warmth is not None:
        heat = patch_heat(flow.given, flow.warmth)
        patches = {n: {**patches.get(n, {}), **own} for n, own in heat.items()}
        passing = 0.5 * sum(abs(own["heat"]) for own in heat.values())
        net = sum(own["heat"] for own in heat.values())
        warm = {
            "heat_residual": flow.warmth.residual,
            "heat_imbalance": net / passing if passing > 0 else 0.0,
        }
    last = flow.history[-1] if flow.history else None
    balance = sum(p.get("mass_flow", 0.0) for p in patches.values())
    through = sum(max(p.get("mass_flow", 0.0), 0.0) for p in patches.values())
    return {
        "cells": flow.problem.ops.volumes.count,
        "iterations": len(flow.history),
        "converged": flow.converged,
        "residuals": None if last is None else {"momentum": list(last.momentum), "mass": last.mass},
        "mass_imbalance": balance / through if through > 0 else 0.0,
        "fastest": float(np.linalg.norm(flow.field.velocity, axis=1).max(initial=0.0)),
        **warm,
        "patches": patches,
    }
