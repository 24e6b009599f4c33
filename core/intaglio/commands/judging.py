"""`intaglio check` and `intaglio compare`: finished meshes judged, and set side by side."""

import argparse
import json
from pathlib import Path
from typing import Any

from intaglio.commands.telling import histogram_lines, report_lines, worst_lines
from intaglio.errors import FileRejected
from intaglio.mesh.mesh import Mesh
from intaglio.quality.catalogue import BY_KEY
from intaglio.quality.limits import judged
from intaglio.quality.report import mesh_findings, read_otherwise, report
from intaglio.quality.statistics import histogram
from intaglio.quality.values import Values
from intaglio.quality.worst import described, worst_cells


def read(path: Path) -> Mesh:
    """The mesh of a file. Raises FileRejected."""
    from intaglio.formats.registry import read_mesh

    if not path.is_file():
        raise FileRejected("unreadable", f"{path} does not exist or is no file.")
    return read_mesh(path)


def report_of(mesh: Mesh, values: Values | None = None, limits: str = "general") -> dict[str, Any]:
    """A mesh's report with its findings and the verdict."""
    values = Values(mesh) if values is None else values
    found = read_otherwise(mesh) + mesh_findings(mesh, values.measured)
    return judged(report(values, found), limits, [])


def check(args: argparse.Namespace) -> int:
    """Judge a mesh; 0 if it is valid and within the limits that were asked for."""
    if args.bars < 1 or args.worst < 0:
        raise FileRejected("arguments", "--bars needs 1 or more, --worst 0 or more.")
    mesh = read(args.mesh)
    values = Values(mesh)
    told = report_of(mesh, values, args.limits or "general")
    good = told["valid"] and (args.limits is None or told["verdict"]["passed"])
    key = args.metric or _worst_metric(told)
    if key not in values.known():
        raise FileRejected("metric", f"{args.mesh} tells nothing of {BY_KEY[key].label.lower()}.")
    metric = BY_KEY[key]
    of_cells = values.of_cells(key)
    bars = histogram(of_cells, metric, args.bars)
    cells = worst_cells(of_cells, metric.large_is_bad, args.worst)
    listed = described(mesh, cells, of_cells[cells]) if told["valid"] else []
    if args.json:
        print(
            json.dumps({**told, "histogram": {key: bars}, "worst_cells": {key: listed}}, indent=1)
        )
        return 0 if good else 1
    for line in histogram_lines(metric, bars, args.heights):
        print(line)
    if listed:
        for line in worst_lines(metric, listed):
            print(line)
    for line in report_lines(told):
        print(line)
    return 0 if good else 1


def _worst_metric(told: dict[str, Any]) -> str:
    """The first metric that is beyond its limit, else equiangle skewness, or the first there is."""
    for row in told["verdict"]["rows"]:
        if not row["passed"]:
            return str(row["metric"])
    keys = list(told["quality"])
    return "equiangle_skewness" if "equiangle_skewness" in keys else keys[0]
