"""`intaglio layers` and `divide`: layers grown into a finished mesh, and divided again."""

import argparse
from typing import Any

from intaglio.commands.judging import read, report_of
from intaglio.commands.telling import finding_line, report_lines
from intaglio.errors import StepFailed
from intaglio.formats.registry import mesh_format
from intaglio.quality.report import mesh_findings
from intaglio.quality.values import Values
from intaglio.stages.layers.into_mesh import layers_into
from intaglio.stages.layers.missing import NOWHERE
from intaglio.stages.layers.rows import LAYER_ROWS
from intaglio.stages.volume.dividing import DIVISION_ROWS, divided_mesh, meant


def layers(args: argparse.Namespace) -> int:
    """Grow layers and write the mesh; 0, or 1 where none could be grown."""
    given = {k: getattr(args, k) for k in ("first", "total", "last")}
    heights = {k: v for k, v in given.items() if v is not None} or {"last": 0.5}
    row = {"patches": args.patches, "count": args.count, "growth": args.growth, **heights}
    rows = LAYER_ROWS.check("layers", "layers on walls", [row], {})
    target = mesh_format(args.output)
    lowest = {} if args.lowest is None else {"lowest": args.lowest}
    made, told, found = layers_into(read(args.mesh), rows, **lowest)
    target.write(made, args.output, {})
    _tell(report_of(made))
    for patch in told:
        print(
            f"layers {patch['name']:<19} all on {100 * patch['full']:.1f} %, some on "
            f"{100 * patch['some']:.1f} %, none on {100 * patch['none']:.1f} %"
        )
    for finding in found:
        print(finding_line(finding.as_dict()))
    return 1 if any(finding.code == NOWHERE for finding in found) else 0


def divide(args: argparse.Namespace) -> int:
    """Divide layers and write the mesh; 0."""
    growth = 1.2 if args.growth is None else args.growth
    height = {"first": args.first} if args.first is not None else {"growth": growth}
    row = {"patches": args.patches, "count": args.count, **height}
    rows = DIVISION_ROWS.check("divide", "layers divided again", [row], {})
    target = mesh_format(args.output)
    mesh = read(args.mesh)
    own = [meant(row, [(p.name, p.kind) for p in mesh.patches]) for row in rows]
    made = divided_mesh(mesh, rows, own)
    values = Values(made.mesh)
    found = mesh_findings(made.mesh, values.measured)
    errors = [f for f in found if f.level == "error"]
    if errors:
        raise StepFailed(errors[0].code, "Divided so, the mesh is not valid: " + errors[0].message)
    target.write(made.mesh, args.output, {})
    _tell(report_of(made.mesh, values))
    for line in made.lines:
        print(f"layers {line}")
    for finding in made.findings:
        print(finding_line(finding.as_dict()))
    return 0


def _tell(report: dict[str, Any]) -> None:
    for line in report_lines(report):
        print(line)
