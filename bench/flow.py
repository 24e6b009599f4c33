"""The flow solver on a tube meshed with tetrahedra and layers: seconds and memory of reading and
of an iteration.

An iteration is told over what pyamg takes in the same run to bring the equations of the pressure,
as they stand at the beginning, down to a tenth, its hierarchy of grids included.

    python -m bench.flow [--cells N] [--iterations N]
"""

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np
import pyamg

import intaglio
from bench.memory import Peak
from intaglio.flow.reading import read_flow
from intaglio.flow.solve import Problem, iterations, potential, problem_of
from tests.core.shapes import cylinder
from tests.core.shapes import source as step_file
from tests.core.test_flow_sets import driven

LAYERS = {"layers": [{"patches": ["wall"], "count": 5, "growth": 1.2, "last": 0.5}]}


def exported(cells: int, folder: Path) -> Path:
    """A tube of about so many cells, driven from end to end and handed over."""
    step_file(cylinder((0, 0, 0), (1, 0, 0), 10, 80), folder, "tube")
    study = intaglio.open(folder / "tube.step", quiet=True)
    study = study.set(domain={"where": "as-is"}, sizing={"cells": cells}, layers=LAYERS)
    driven(study).export(folder / "out")
    return folder / "out" / "mesh.cgns"


def peer_seconds(problem: Problem) -> float:
    """pyamg alone on the equations of the potential flow."""
    ops, pattern = problem.ops, problem.pattern
    v = ops.volumes
    rim = np.where(problem.held.level, ops.rim_over, 0.0)
    diagonal = pattern.sums(ops.over, ops.over) + np.bincount(v.rim.cell, rim, v.count)
    matrix = pattern.matrix(-ops.over, -ops.over, diagonal)
    right = np.random.default_rng(1).normal(size=v.count)
    start = time.perf_counter()
    solver = pyamg.smoothed_aggregation_solver(matrix, symmetry="symmetric", max_coarse=300)
    solver.solve(right, tol=0.1, accel="cg")
    return time.perf_counter() - start


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cells", type=int, default=1_000_000)
    parser.add_argument("--iterations", type=int, default=20)
    asked = parser.parse_args()
    for cells in (3_000, asked.cells):  # the first so that no row holds loading of compiled code
        with tempfile.TemporaryDirectory() as folder:
            path = exported(cells, Path(folder))
            with Peak() as peak:
                start = time.perf_counter()
                given = read_flow(path)
                problem = problem_of(given.ops, given.held, given.fluid)
                reading = time.perf_counter() - start
                count = given.ops.volumes.count
                start = time.perf_counter()
                field = potential(problem)
                begun = time.perf_counter() - start
                took, worst = [], []
                start = time.perf_counter()
                for _, left in iterations(problem, field, asked.iterations):
                    took.append(time.perf_counter() - start)
                    worst.append(left.worst)
                    start = time.perf_counter()
            if cells == asked.cells:
                peer = peer_seconds(problem)
                print(f"{count:,} cells, {len(given.ops.volumes.links.left):,} faces between them")
                print(f"reading      {reading:6.1f} s")
                print(f"beginning    {begun:6.1f} s")
                print(f"iteration    {np.median(took):6.2f} s   longest {max(took):.2f} s")
                print(f"over pyamg's {np.median(took) / peer:6.2f}     ({peer:.2f} s)")
                print(f"memory       {peak.grown / count:6.0f} bytes a cell")
                print(f"residuals    {worst[-1]:.1e} after {len(took)}")


if __name__ == "__main__":
    main()
