"""A flow computed from an exported folder: until it is converged, as far as it was asked for."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.errors import FileRejected
from intaglio.flow.momentum import Field
from intaglio.flow.reading import Given, read_flow
from intaglio.flow.results import PatchResult, patch_results
from intaglio.flow.solve import (
    CONVERGED,
    Problem,
    Residuals,
    iterations,
    potential,
    problem_of,
)

Tell = Callable[[int, Residuals], None]


@dataclass(frozen=True)
class Flow:
    """What was computed: the problem, the field, the residuals of every iteration."""

    given: Given
    problem: Problem
    field: Field
    history: tuple[Residuals, ...]

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
    given = read_flow(mesh_of(folder))
    problem = problem_of(given.ops, given.held, given.fluid)
    last = potential(problem)
    history: list[Residuals] = []
    for field, left in iterations(problem, last, most, stop):
        last = field
        history.append(left)
        tell(len(history), left)
    return Flow(given, problem, last, tuple(history))


def told(flow: Flow) -> dict[str, Any]:
    """The results as plain data, SI units."""
    patches: dict[str, PatchResult] = patch_results(flow.problem, flow.field)
    last = flow.history[-1] if flow.history else None
    balance = sum(p["mass_flow"] for p in patches.values())
    through = sum(max(p["mass_flow"], 0.0) for p in patches.values())
    return {
        "cells": flow.problem.ops.volumes.count,
        "iterations": len(flow.history),
        "converged": flow.converged,
        "residuals": None if last is None else {"momentum": list(last.momentum), "mass": last.mass},
        "mass_imbalance": balance / through if through > 0 else 0.0,
        "fastest": float(np.linalg.norm(flow.field.velocity, axis=1).max(initial=0.0)),
        "patches": patches,
    }
