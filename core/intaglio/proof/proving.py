"""Computing a flow on what was handed over, as the proof of its mesh.

The solver reads the exported file and nothing else; its results are then given the numbers that the
cells and faces have in the mesh of Volume, so that they can be drawn there.
"""

import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.errors import StepFailed
from intaglio.flow.conditions import WALL
from intaglio.flow.momentum import Field
from intaglio.flow.operators import Operators, in_cells
from intaglio.flow.reading import Given, read_flow
from intaglio.flow.results import patch_results, wall_shear
from intaglio.flow.run import Flow, flow_of, told
from intaglio.flow.solve import Problem, Residuals, problem_of
from intaglio.flow.thickening import LAMINAR
from intaglio.mesh.mesh import Floats, Mesh, cell_middles
from intaglio.parts.kind import Arrays
from intaglio.parts.model import Product
from intaglio.proof.bounds import beyond_given
from intaglio.proof.fields import field_rows
from intaglio.proof.placing import cells_in, faces_in
from intaglio.proof.report import MonitorRows, ProofReport, ResidualRows
from intaglio.proof.verdict import power, verdict
from intaglio.units import MM_PER_UNIT

# part of every proof's key: raise it when the computation changes its result
VERSION = 6
_STATE = ("velocity", "rim_velocity", "pressure", "rim_pressure", "flux", "shares")
# kinds of patches whose flow is told while it is computed
_THROUGH = ("inlet", "outlet", "opening", "far_field")

Tell = Callable[[float, str], None]
Show = Callable[[Product], None]


def prove(
    handed: Product,
    mesh: Mesh,
    most: int,
    before: Product | None,
    tell: Tell,
    show: Show,
    stop: Callable[[], bool],
) -> Product:
    """Compute `most` iterations on a hand-over, after those of another proof of it, if any; mesh:
    that of Volume. stop: whether to end with what there is. Raises StepFailed,
    FileRejected."""
    file = _file(handed)
    tell(0.0, "reading what was exported")
    with tempfile.TemporaryDirectory(prefix="intaglio-") as folder:
        path = Path(folder) / "mesh.cgns"
        file.tofile(path)
        given = read_flow(path, thicken=True)
        problem = problem_of(given.ops, given.held, given.fluid)
    if before is not None and len(before.arrays["state_pressure"]) != given.ops.volumes.count:
        before = None  # an earlier version's, which had other volumes
    earlier = _history(before)
    field = None if before is None else _restored(before)
    monitors = _Monitors(given, problem, before)
    tell(0.08, "potential flow" if field is None else "going on")

    def each(number: int, left: Residuals, now: Field) -> None:
        monitors.add(now)
        history.append(left)
        done = (number - len(earlier)) / most
        tell(0.1 + 0.85 * done, f"iteration {number}, mass residual {power(left.mass)}")
        show(Product({}, _report(given, history, monitors.rows, most)))

    history = list(earlier)

    def warms(number: int, left: float) -> None:
        tell(0.95, f"temperatures, correction {number}, {power(left)} left")

    done = flow_of(given, problem, most, each, stop, field, earlier, warms)
    tell(0.96, "placing the results in the mesh")
    arrays = {**_state(done.field), **_placed(done, mesh)}
    report = _report(given, list(done.history), monitors.rows, most)
    return Product(arrays, {**report, **_told(done, mesh, arrays, most, len(earlier))})


def _file(handed: Product) -> Any:
    """The bytes (n,) of the exported mesh. Raises StepFailed."""
    if not handed.report["ready"]:
        errors = [f["message"] for f in handed.report["findings"] if f["level"] == "error"]
        raise StepFailed("not-ready", f"The case cannot be handed over: {' '.join(errors)}")
    if "mesh.cgns" not in handed.arrays:
        raise StepFailed(
            "no-mesh",
            "The solver reads mesh.cgns, which is not handed over: add the CGNS file to the "
            "files in the last sentence of Case.",
        )
    return handed.arrays["mesh.cgns"]


def _history(before: Product | None) -> tuple[Residuals, ...]:
    if before is None:
        return ()
    rows = before.report["residuals"]
    return tuple(
        Residuals((m[0], m[1], m[2]), mass)
        for m, mass in zip(rows["momentum"], rows["mass"], strict=True)
    )


def _state(field: Field) -> Arrays:
    return {f"state_{name}": getattr(field, name) for name in _STATE}


def _restored(before: Product) -> Field:
    return Field(*(before.arrays[f"state_{name}"] for name in _STATE))


class _Monitors:
    """What flows through each patch, iteration by iteration."""

    def __init__(self, given: Given, problem: Problem, before: Product | None) -> None:
        self.problem = problem
        through = {p.name for p in given.mesh.patches if p.kind in _THROUGH}
        self.names = [n for n in problem.held.names if n in through]
        empty: MonitorRows = {"flow_rate": [], "mean_pressure": []}
        rows = {} if before is None else before.report["monitors"]
        self.rows: dict[str, MonitorRows] = {
            n: {
                "flow_rate": [*rows.get(n, empty)["flow_rate"]],
                "mean_pressure": [*rows.get(n, empty)["mean_pressure"]],
            }
            for n in self.names
        }

    def add(self, field: Field) -> None:
        results = patch_results(self.problem, field)
        for name in self.names:
            if name in results:
                self.rows[name]["flow_rate"].append(results[name]["flow_rate"])
                self.rows[name]["mean_pressure"].append(results[name]["mean_pressure"])


def _report(
    given: Given, history: list[Residuals], monitors: dict[str, MonitorRows], asked: int
) -> ProofReport:
    """What can be told while it runs."""
    residuals: ResidualRows = {
        "momentum": [list(r.momentum) for r in history],
        "mass": [r.mass for r in history],
    }
    return {
        "case": "",
        "mesh": "",
        "unit": given.mesh.unit,
        "cells": given.mesh.cells,
        "iterations": len(history),
        "asked": asked,
        "converged": False,
        "stopped": False,
        "residuals": residuals,
        "monitors": {name: {**rows} for name, rows in monitors.items()},
        "mass_imbalance": 0.0,
        "heat_imbalance": None,
        "fastest": 0.0,
        "patches": {},
        "fields": [],
        "verdict": "running",
        "sentence": "",
        "evidence": [],
        "findings": [],
    }


def _told(done: Flow, mesh: Mesh, arrays: Arrays, asked: int, earlier: int) -> Mapping[str, Any]:
    """What follows from the whole flow."""
    results = told(done)
    notes = []
    if results["merged_cells"]:
        notes.append(
            f"{results['merged_cells']:,} cells that taper, in stacks where layers grow from one "
            "or two nodes of a triangle alone, were taken together as "
            f"{done.given.ops.volumes.stacks:,} volumes."
        )
    if done.given.thicker > 1.0:
        notes.append(
            f"The case is turbulent: this is the flow of a fluid {done.given.thicker:,.0f} times "
            f"as viscous, whose Reynolds number is {LAMINAR:.0f}. It tries the mesh; pressures, "
            "friction and y⁺ are not those of the case."
        )
    if done.warmth is not None:
        notes.append(
            f"Heat balances but for {power(abs(results['heat_imbalance']))} of what passes, and "
            f"{power(results['heat_residual'])} cell by cell."
        )
        assert done.given.heat is not None
        beyond = beyond_given(done.given.heat, done.warmth)
        if beyond is not None:
            notes.append(beyond)
    notes.append("A check of the mesh for laminar flow; it replaces no flow solver.")
    word, sentence, evidence = verdict(
        done.history, results["mass_imbalance"], done.given.mesh.cells, done.trouble, notes
    )
    return {
        "converged": done.converged,
        "stopped": len(done.history) - earlier < asked and not done.converged,
        "mass_imbalance": results["mass_imbalance"],
        "heat_imbalance": results.get("heat_imbalance"),
        "fastest": results["fastest"],
        "patches": results["patches"],
        "fields": field_rows(mesh, arrays),
        "verdict": word,
        "sentence": sentence,
        "evidence": evidence,
        "findings": [] if done.trouble is None else [done.trouble.as_dict()],
    }


def _placed(done: Flow, mesh: Mesh) -> Arrays:
    """The fields by the numbers of another mesh: velocity (c, 3), pressure (c,), and of faces of
    the boundary, by their numbers."""
    given, field, problem = done.given, done.field, done.problem
    own = MM_PER_UNIT[given.mesh.unit] * 1e-3
    units = (mesh, MM_PER_UNIT[mesh.unit] * 1e-3, given.mesh, own)
    v = given.ops.volumes
    place = cells_in(*units, np.arange(given.mesh.cells))

    def placed(ops: Operators, values: Floats, rim: Floats) -> Any:
        out = np.full((mesh.cells, *values.shape[1:]), np.nan, np.float32)
        out[place] = in_cells(ops, given.mesh, own, values, rim)
        return out

    shear = wall_shear(problem, field)
    rim_cell = place[v.rim.behind]
    faces = faces_in(*units, v.rim.face, rim_cell)
    out: Arrays = {
        "velocity": placed(given.ops, field.velocity, field.rim_velocity),
        "pressure": placed(given.ops, field.pressure, field.rim_pressure),
        "rim_face": faces,
        "rim_cell": rim_cell.astype(np.int32),
        "rim_velocity": field.rim_velocity.astype(np.float32),
        "rim_pressure": field.rim_pressure.astype(np.float32),
        "rim_shear": shear.astype(np.float32),
        "rim_yplus": _yplus(given, problem, shear, own),
    }
    if done.warmth is not None and given.heat is not None:
        heat, rim = given.heat.ops, given.heat.ops.volumes.rim
        out["temperature"] = placed(heat, done.warmth.temperature, done.warmth.rim)
        out["heat_face"] = faces_in(*units, rim.face, place[rim.behind])
        out["heat_rim"] = done.warmth.rim.astype(np.float32)
    return out


def _yplus(given: Given, problem: Problem, shear: Floats, metres: float) -> Any:
    """y⁺ (b,) of the first cells at walls; nan elsewhere."""
    r, held = problem.ops.volumes.rim, problem.held
    size = np.maximum(np.linalg.norm(r.area, axis=1), 1e-300)
    way = r.way.copy()
    # of the cell itself, where the flow has it in one volume with others
    alone = np.flatnonzero(given.ops.volumes.shared[r.behind])
    way[alone] = r.centre[alone] - cell_middles(given.mesh, r.behind[alone]) * metres
    away = (way * r.area).sum(axis=1) / size
    density, viscosity = (
        of_cell[r.cell] for of_cell in (problem.fluid.density, problem.fluid.viscosity)
    )
    speed = np.sqrt(np.linalg.norm(shear, axis=1) / density)
    at = held.kind == WALL
    return np.where(at, density * speed * away / viscosity, np.nan).astype(np.float32)
