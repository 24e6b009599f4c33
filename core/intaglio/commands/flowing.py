"""`intaglio flow`: the flow of an exported folder, to prove its mesh."""

import argparse
import csv
import json
import signal
import sys
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.errors import FileRejected
from intaglio.flow.momentum import Field
from intaglio.flow.results import along_line, in_fluid
from intaglio.flow.run import Flow, run_flow, told
from intaglio.flow.solve import Residuals
from intaglio.mesh.mesh import Floats
from intaglio.units import MM_PER_UNIT

_PLACES = 101


def flow(args: argparse.Namespace) -> int:
    """Compute a flow and tell of it; 0 if it is converged, 1 if not."""
    if args.iterations < 1:
        raise FileRejected("arguments", "--iterations needs 1 or more.")
    if (args.profile is None) != (args.csv is None):
        raise FileRejected("arguments", "--profile and --csv belong together.")
    line = None if args.profile is None else _line(args.profile)

    def tell(number: int, left: Residuals, field: Field) -> None:
        if not args.json and (number < 10 or number % 10 == 0):
            x, y, z = left.momentum
            print(f"{number:>6} momentum {x:.2e} {y:.2e} {z:.2e}  mass {left.mass:.2e}", flush=True)

    asked: list[bool] = []
    earlier = signal.signal(signal.SIGINT, lambda number, frame: asked.append(True))
    try:
        # interrupted, it tells what there is so far
        done = run_flow(args.folder, args.iterations, tell, lambda: bool(asked))
    finally:
        signal.signal(signal.SIGINT, earlier)
    report = told(done)
    if args.json:
        print(json.dumps(report))
    else:
        _print(report)
    if line is not None:
        _write_profile(done, line, args.csv)
    return 0 if done.converged else 1


def _line(text: str) -> Floats:
    """Places (k, 3) along a line, in the mesh's unit. Raises FileRejected."""
    try:
        ends = np.array([float(part) for part in text.split(",")])
    except ValueError as error:
        raise FileRejected("arguments", f"--profile: {text} is not six numbers.") from error
    if len(ends) != 6 or not np.isfinite(ends).all():
        raise FileRejected("arguments", f"--profile: {text} is not six numbers.")
    if (ends[:3] == ends[3:]).all():
        raise FileRejected("arguments", f"--profile: the line {text} has no length.")
    share = np.linspace(0.0, 1.0, _PLACES)[:, None]
    return np.asarray((1.0 - share) * ends[:3] + share * ends[3:])


def _write_profile(done: Flow, places: Floats, path: Path) -> None:
    """Write what is along places (k, 3) in the mesh's unit; nothing where they lie outside."""
    unit = done.given.mesh.unit
    metres = MM_PER_UNIT[unit] * 1e-3 * places
    inside = in_fluid(done.given, metres)
    velocity, pressure = along_line(done.problem, done.field, metres)
    values = np.column_stack([velocity, pressure]).tolist()
    with path.open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file)
        rows.writerow([*(f"{axis} {unit}" for axis in "xyz"), "u m/s", "v m/s", "w m/s", "p Pa"])
        for k, place in enumerate(places.tolist()):
            rows.writerow([*place, *(values[k] if inside[k] else [""] * 4)])
    out = int((~inside).sum())
    print(f"written to {path}, the line taken in {unit}, as the mesh is", file=sys.stderr)
    if out:
        words = f"{out} of {len(places)} places lie outside the fluid, and are left empty"
        print(words, file=sys.stderr)


def _print(report: dict[str, Any]) -> None:
    way = "converged" if report["converged"] else "NOT converged"
    print(f"{report['cells']:,} cells, {report['iterations']} iterations, {way}")
    print(f"mass balance {report['mass_imbalance']:.2e} of what flows through")
    for name, p in report["patches"].items():
        if "force" not in p:
            continue
        force = " ".join(f"{x:.4g}" for x in p["force"])
        print(f"{name:<20} flow {p['flow_rate']:<12.5g} m³/s  pressure {p['mean_pressure']:<12.5g} "
              f"Pa  force {force} N")  # fmt: skip
    if "heat_imbalance" in report:
        print(f"heat balance {report['heat_imbalance']:.2e} of what passes")
        for name, p in report["patches"].items():
            print(f"{name:<20} heat {p['heat']:<12.5g} W  {p['mean_temperature'] - 273.15:.5g} °C")
    if report["trouble"]:
        print(report["trouble"], file=sys.stderr)
    print("A check of the mesh for laminar flow; it replaces no flow solver.")
