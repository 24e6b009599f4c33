"""The command line's commands: a line of help and the arguments of each, and where it is done.

Nothing here loads the computation: help and wrong arguments answer at once.
"""

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from intaglio.quality.catalogue import METRICS


@dataclass(frozen=True)
class Command:
    """A command: its line in the help, its arguments, and the function that does it, as
    `module:name` of this package; it is given the arguments and gives the exit status. files,
    folders: arguments that say where it writes."""

    name: str
    help: str
    arguments: Callable[[argparse.ArgumentParser], None]
    done_by: str
    files: tuple[str, ...] = ()
    folders: tuple[str, ...] = ()


# the sets of `quality.limits`
LIMITS = ("general", "strict")


def _draft(draft: argparse.ArgumentParser) -> None:
    draft.add_argument("part", type=Path, nargs="+", help="a geometry file, or several")
    draft.add_argument("-o", "--output", type=Path, required=True, help="the recipe to write")
    draft.add_argument(
        "--fluid",
        choices=("inside", "around", "as-is"),
        help="where the fluid is; derived if not given",
    )


def _run(run: argparse.ArgumentParser) -> None:
    run.add_argument("recipe", type=Path)
    run.add_argument("--out", type=Path, required=True, help="folder for the files")
    run.add_argument(
        "--set", dest="changes", action="append", default=[], metavar="NAME=VALUE",
        help="another value of a named number, or of a setting as STAGE.SETTING; may be repeated",
    )  # fmt: skip
    run.add_argument(
        "--parts", type=Path, nargs="+", metavar="PART",
        help="geometry files, or folders of them, to be run in place of the recipe's part, each "
        "into a folder of its name",
    )  # fmt: skip
    run.add_argument("--quiet", action="store_true", help="no progress")


def _flow(flow: argparse.ArgumentParser) -> None:
    flow.add_argument("folder", type=Path, help="what `intaglio run` has written")
    flow.add_argument("--iterations", type=int, default=200, help="at the most; 200 if not said")
    flow.add_argument("--json", action="store_true", help="as JSON")
    flow.add_argument(
        "--profile", metavar="X0,Y0,Z0,X1,Y1,Z1",
        help="a line to write along, in the mesh's unit",
    )  # fmt: skip
    flow.add_argument("--csv", type=Path, help="the file for the profile")


def _findings(findings: argparse.ArgumentParser) -> None:
    findings.add_argument("part", type=Path, nargs="+", help="a geometry file, or several")
    findings.add_argument("--unit", default="file", help="take the numbers in mm, cm, m, in, ft")
    findings.add_argument("--json", action="store_true", help="as JSON")


def _rooms(rooms: argparse.ArgumentParser) -> None:
    rooms.add_argument("part", type=Path, nargs="+", help="a geometry file, or several")
    rooms.add_argument(
        "--wide", type=float, required=True, help="the smallest ball to follow, across"
    )
    rooms.add_argument("--at", metavar="X,Y,Z", help="a place in the fluid; else from outside")
    rooms.add_argument("--unit", default="file", help="take the numbers in mm, cm, m, in, ft")
    rooms.add_argument("--json", action="store_true", help="as JSON")


def _convert(convert: argparse.ArgumentParser) -> None:
    convert.add_argument("source", type=Path, help="STEP, IGES, BREP, STL, OBJ or PLY")
    convert.add_argument("target", type=Path, help="STEP, BREP, STL, OBJ or PLY, by its suffix")
    convert.add_argument("--per", choices=("whole", "body"), default="whole")


def _write(write: argparse.ArgumentParser) -> None:
    write.add_argument("recipe", type=Path)
    write.add_argument(
        "--stage", choices=("geometry", "domain", "surface", "volume"), default="domain"
    )
    write.add_argument("--per", choices=("whole", "body", "patch"), default="whole")
    write.add_argument("--as", dest="suffix", default="stl", help="step, brep, stl, obj or ply")
    write.add_argument("--out", type=Path, required=True, help="folder for the files")


def _check(check: argparse.ArgumentParser) -> None:
    check.add_argument("mesh", type=Path, help="a CGNS or VTU file")
    check.add_argument("--json", action="store_true", help="as JSON")
    check.add_argument(
        "--limits", choices=LIMITS, help="fail if any cell is beyond; only told if not given"
    )
    check.add_argument(
        "--metric", choices=[m.key for m in METRICS], help="whose bars and worst cells to print"
    )
    check.add_argument("--bars", type=int, default=16, help="bars of the histogram")
    check.add_argument("--heights", choices=("root", "log", "even"), default="root")
    check.add_argument("--worst", type=int, default=5, help="number of worst cells to list")


def _compare(compare: argparse.ArgumentParser) -> None:
    compare.add_argument("meshes", type=Path, nargs="+", metavar="MESH", help="CGNS or VTU files")
    compare.add_argument("--json", action="store_true", help="as JSON")
    compare.add_argument("--limits", choices=LIMITS, default="general")
    compare.add_argument("--metric", choices=[m.key for m in METRICS], help="whose bars to print")
    compare.add_argument("--bars", type=int, default=16, help="bars of the histogram")


def _report(report: argparse.ArgumentParser) -> None:
    report.add_argument("recipe", type=Path)
    report.add_argument("-o", "--output", type=Path, required=True, help="the HTML file to write")
    report.add_argument(
        "--stage", choices=("sizing", "surface", "layers", "volume", "case"), default="case",
        help="the last stage to run",
    )  # fmt: skip


def _layers(layers: argparse.ArgumentParser) -> None:
    layers.add_argument("mesh", type=Path, help="a CGNS or VTU file")
    layers.add_argument("--patches", nargs="+", default=["*"], help="walls, by name or pattern")
    layers.add_argument("--count", type=int, default=8, help="number of layers")
    layers.add_argument("--growth", type=float, default=1.2, help="each over the one below")
    high = layers.add_mutually_exclusive_group()
    high.add_argument("--first", type=float, help="height of the first layer")
    high.add_argument("--total", type=float, help="height of all layers")
    high.add_argument("--last", type=float, help="last layer over the wall's edge; 0.5 if not said")
    layers.add_argument("--lowest", type=float, help="share to which they are thinned at most")
    layers.add_argument("-o", "--output", type=Path, required=True, help="the CGNS or VTU to write")


def _divide(divide: argparse.ArgumentParser) -> None:
    divide.add_argument("mesh", type=Path, help="a CGNS or VTU file")
    divide.add_argument("--patches", nargs="+", default=["*"], help="walls, by name or pattern")
    divide.add_argument("--count", type=int, default=8, help="number of layers")
    spread = divide.add_mutually_exclusive_group()
    spread.add_argument("--growth", type=float, help="each over the one below; 1.2 if not said")
    spread.add_argument("--first", type=float, help="height of the first layer")
    divide.add_argument("-o", "--output", type=Path, required=True, help="the CGNS or VTU to write")


def _nothing(parser: argparse.ArgumentParser) -> None:
    pass


_OUTPUT, _OUT = ("output",), ("out",)

COMMANDS = (
    Command(
        "draft",
        "write a recipe with settings derived from a part",
        _draft,
        "drafting:draft_recipe",
        files=_OUTPUT,
    ),
    Command("run", "run a recipe and write the export", _run, "running:run", folders=_OUT),
    Command(
        "flow",
        "compute the laminar flow of an exported folder, as a check of its mesh",
        _flow,
        "flowing:flow",
        files=("csv",),
    ),
    Command("findings", "list what is wrong with a geometry file", _findings, "geometry:findings"),
    Command(
        "rooms",
        "list passages by their width, what lies behind each, and what a ball touches",
        _rooms,
        "rooming:rooms",
    ),
    Command(
        "convert",
        "write a geometry file in another format",
        _convert,
        "geometry:convert",
        files=("target",),
    ),
    Command(
        "write",
        "write the geometry of a stage of a recipe",
        _write,
        "geometry:write",
        folders=_OUT,
    ),
    Command("check", "print counts, patches, quality, validity of a mesh", _check, "judging:check"),
    Command("compare", "set two to four meshes side by side", _compare, "comparing:compare"),
    Command(
        "report",
        "run a recipe and tell of it on a printable page",
        _report,
        "reporting:report",
        files=_OUTPUT,
    ),
    Command(
        "layers",
        "grow layers into a finished mesh of tetrahedra",
        _layers,
        "layering:layers",
        files=_OUTPUT,
    ),
    Command(
        "divide",
        "divide the layers of a finished mesh again",
        _divide,
        "layering:divide",
        files=_OUTPUT,
    ),
    Command("schema", "print the JSON schema of recipes", _nothing, "drafting:schema"),
    Command("warm", "compile and cache the numeric code", _nothing, "warming:warm_up"),
)
