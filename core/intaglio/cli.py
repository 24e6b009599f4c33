"""The command `intaglio`: findings of a file, converting, drafting and running recipes, checks."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from intaglio import __version__
from intaglio.commands.comparing import add_compare, compare
from intaglio.commands.flowing import add_flow, flow
from intaglio.commands.judging import add_check, check, read, report_of
from intaglio.commands.reporting import add_report, report
from intaglio.commands.running import add_run, run
from intaglio.commands.telling import report_lines
from intaglio.errors import Cancelled, FileRejected, IntaglioError, SettingRejected, StepFailed
from intaglio.parts.reading import source_of


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="intaglio", description="From a CAD part to a checked mesh and case."
    )
    parser.add_argument("--version", action="version", version=f"intaglio {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    draft = commands.add_parser("draft", help="write a recipe with settings derived from a part")
    draft.add_argument("part", type=Path, nargs="+", help="a geometry file, or several")
    draft.add_argument("-o", "--output", type=Path, required=True, help="the recipe to write")
    draft.add_argument(
        "--fluid",
        choices=("inside", "around", "as-is"),
        help="where the fluid is; derived if not given",
    )
    add_run(commands)
    add_flow(commands)
    findings = commands.add_parser("findings", help="list what is wrong with a geometry file")
    findings.add_argument("part", type=Path, nargs="+", help="a geometry file, or several")
    findings.add_argument("--unit", default="file", help="take the numbers in mm, cm, m, in, ft")
    findings.add_argument("--json", action="store_true", help="as JSON")
    convert = commands.add_parser("convert", help="write a geometry file in another format")
    convert.add_argument("source", type=Path, help="STEP, IGES, BREP, STL, OBJ or PLY")
    convert.add_argument("target", type=Path, help="STEP, BREP, STL, OBJ or PLY, by its suffix")
    convert.add_argument("--per", choices=("whole", "body"), default="whole")
    write = commands.add_parser("write", help="write the geometry of a stage of a recipe")
    write.add_argument("recipe", type=Path)
    write.add_argument(
        "--stage", choices=("geometry", "domain", "surface", "volume"), default="domain"
    )
    write.add_argument("--per", choices=("whole", "body", "patch"), default="whole")
    write.add_argument("--as", dest="suffix", default="stl", help="step, brep, stl, obj or ply")
    write.add_argument("--out", type=Path, required=True, help="folder for the files")
    add_check(commands)
    add_compare(commands)
    add_report(commands)
    layers = commands.add_parser("layers", help="grow layers into a finished mesh of tetrahedra")
    layers.add_argument("mesh", type=Path, help="a CGNS or VTU file")
    layers.add_argument("--patches", nargs="+", default=["*"], help="walls, by name or pattern")
    layers.add_argument("--count", type=int, default=8, help="number of layers")
    layers.add_argument("--growth", type=float, default=1.2, help="each over the one below")
    high = layers.add_mutually_exclusive_group()
    high.add_argument("--first", type=float, help="height of the first layer")
    high.add_argument("--total", type=float, help="height of all layers")
    high.add_argument("--last", type=float, help="last layer over the wall's edge; 0.5 if not said")
    layers.add_argument("--lowest", type=float, default=0.2, help="share to which they are thinned")
    layers.add_argument("-o", "--output", type=Path, required=True, help="the CGNS or VTU to write")
    divide = commands.add_parser("divide", help="divide the layers of a finished mesh again")
    divide.add_argument("mesh", type=Path, help="a CGNS or VTU file")
    divide.add_argument("--patches", nargs="+", default=["*"], help="walls, by name or pattern")
    divide.add_argument("--count", type=int, default=8, help="number of layers")
    spread = divide.add_mutually_exclusive_group()
    spread.add_argument("--growth", type=float, help="each over the one below; 1.2 if not said")
    spread.add_argument("--first", type=float, help="height of the first layer")
    divide.add_argument("-o", "--output", type=Path, required=True, help="the CGNS or VTU to write")
    schema = commands.add_parser("schema", help="print the JSON schema of recipes")
    schema.set_defaults(command="schema")
    commands.add_parser("warm", help="compile and cache the numeric code")
    return parser


def main(argv: list[str] | None = None) -> int:
    """Run the command; 0 if the result is valid, 1 if not, 2 for input that cannot be used."""
    args = _parser().parse_args(argv)
    try:
        if args.command == "draft":
            return _draft(args)
        if args.command == "run":
            return run(args)
        if args.command == "flow":
            return flow(args)
        if args.command == "findings":
            return _findings(args)
        if args.command == "convert":
            return _convert(args)
        if args.command == "write":
            return _write(args)
        if args.command == "check":
            return check(args)
        if args.command == "compare":
            return compare(args)
        if args.command == "report":
            return report(args)
        if args.command == "layers":
            return _layers(args)
        if args.command == "divide":
            return _divide(args)
        if args.command == "schema":
            from intaglio.recipe.schema import recipe_schema

            print(json.dumps(recipe_schema(), indent=1, ensure_ascii=False))
            return 0
        from intaglio.recipe.warm import warm

        warm()
        return 0
    except SettingRejected as error:
        print(f"intaglio: {error.blank}: {error.message}", file=sys.stderr)
        return 2
    except FileRejected as error:
        print(f"intaglio: {error.message}", file=sys.stderr)
        return 2
    except IntaglioError as error:
        print(f"intaglio: {error.message}", file=sys.stderr)
        for place in error.places[:10]:
            print("  at " + ", ".join(f"{x:.6g}" for x in place), file=sys.stderr)
        return 1
    except (KeyboardInterrupt, Cancelled):
        print("intaglio: stopped; nothing was written", file=sys.stderr)
        return 130
    except OSError as error:
        # a library may tell no name and no reason of its own
        told = f"{error.filename}: {error.strerror}" if error.filename else str(error)
        print(f"intaglio: {told}", file=sys.stderr)
        return 2


def _draft(args: argparse.Namespace) -> int:
    from intaglio.recipe.drafting import draft
    from intaglio.recipe.recipe import write_recipe

    source = source_of(args.part)
    name = args.part[0].stem
    drafted = draft(source, name, args.fluid)
    base = args.output.resolve().parent
    parts = []
    for path in args.part:
        try:
            parts.append(str(path.resolve().relative_to(base)))
        except ValueError:
            parts.append(str(path.resolve()))
    write_recipe(
        args.output,
        parts[0] if len(parts) == 1 else parts,
        name,
        drafted.settings,
        drafted.reasons,
        drafted.unit,
    )
    print(f"{args.output}: recipe for {name}, {drafted.settings['domain']['where']}")
    for finding in drafted.left:
        print(f"left: {finding['message']} ({finding['count']:,}) {finding['advice']}")
    return 0 if drafted.closed else 1


def _findings(args: argparse.Namespace) -> int:
    from intaglio.settings.blanks import build
    from intaglio.stages.geometry.settings import Geometry
    from intaglio.stages.geometry.step import geometry_step

    settings = build("geometry", Geometry, {"unit": args.unit})
    report = geometry_step(settings, source_of(args.part), lambda share, doing: None).report
    if args.json:
        keys = (
            "file", "unit", "closed", "size", "volume", "area", "triangles", "bodies", "features",
            "findings",
        )  # fmt: skip
        print(json.dumps({"kind": report["model"]["kind"], **{k: report[k] for k in keys}}))
    else:
        size = " × ".join(f"{x:.4g}" for x in report["size"])
        print(f"{report['file']}: {report['model']['kind']}, {size} {report['unit']}")
        for f in report["findings"]:
            measure = f", {f['size']:.3g} {f['measure']}" if f["measure"] else ""
            print(f"{f['level']}: {f['message']} ({f['count']:,}{measure})")
            for place in f["places"][:3]:
                print("  at " + ", ".join(f"{x:.6g}" for x in place))
            if f["cause"]:
                print(f"  cause: {f['cause']}")
            for offer in f["repairs"]:
                print(f"  repair: {offer['label']}  {json.dumps(offer['operation'])}")
        print("closed" if report["closed"] else "NOT CLOSED")
    return 0 if report["closed"] else 1


def _convert(args: argparse.Namespace) -> int:
    from intaglio.parts.taking import take_in
    from intaglio.parts.writing import file_suffix, files_of

    model = take_in(source_of([args.source]), "file").model
    files = files_of(model, file_suffix(str(args.target)), args.per, args.target.stem)
    if args.per == "whole":
        _save({args.target.name: next(iter(files.values()))}, args.target.parent)
    else:
        _save({f"{args.target.stem}_{k}": v for k, v in files.items()}, args.target.parent)
    return 0


def _write(args: argparse.Namespace) -> int:
    from intaglio.parts.writing import files_of, patch_faces, stage_model
    from intaglio.recipe.plan import MemoryStore, run_to
    from intaglio.recipe.recipe import read_recipe

    recipe = read_recipe(args.recipe)
    store = MemoryStore()
    source = source_of(list(recipe.parts))
    targets = [args.stage] + (["patches"] if args.per == "patch" else [])
    for target in targets:
        rows = run_to(target, source, recipe.name, recipe.settings, store, numbers=recipe.numbers)
    states = {s.stage: s for s in rows}
    patches = None
    if args.per == "patch" and args.stage != "geometry":
        settled, domain = states["patches"].report, states["domain"].report
        assert settled is not None and domain is not None
        patches = patch_faces(settled, domain)
    key = states[args.stage].key
    assert key is not None
    model = stage_model(args.stage, store.get(key))
    suffix = "." + args.suffix.lstrip(".").lower()
    _save(files_of(model, suffix, args.per, f"{recipe.name}_{args.stage}", patches), args.out)
    return 0


def _save(files: dict[str, bytes], folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in files.items():
        (folder / name).write_bytes(data)
        print(folder / name)


def _tell(report: dict[str, Any]) -> None:
    for line in report_lines(report):
        print(line)


def _layers(args: argparse.Namespace) -> int:
    from intaglio.formats.registry import mesh_format
    from intaglio.stages.layers.into_mesh import layers_into
    from intaglio.stages.layers.rows import check_layers

    given = {k: getattr(args, k) for k in ("first", "total", "last")}
    heights = {k: v for k, v in given.items() if v is not None} or {"last": 0.5}
    row = {"patches": args.patches, "count": args.count, "growth": args.growth, **heights}
    rows = check_layers("layers", "layers on walls", [row], {})
    target = mesh_format(args.output)
    made, told, found = layers_into(read(args.mesh), rows, args.lowest)
    target.write(made, args.output, {})
    _tell(report_of(made))
    for patch in told:
        print(
            f"layers {patch['name']:<19} all on {100 * patch['full']:.1f} %, some on "
            f"{100 * patch['some']:.1f} %, none on {100 * patch['none']:.1f} %"
        )
    for finding in found:
        print(f"{finding.level}: {finding.message} {finding.advice}")
    return 0


def _divide(args: argparse.Namespace) -> int:
    from intaglio.formats.registry import mesh_format
    from intaglio.quality.report import mesh_findings
    from intaglio.quality.values import Values
    from intaglio.stages.volume.dividing import check_divisions, divided_mesh, meant

    growth = 1.2 if args.growth is None else args.growth
    height = {"first": args.first} if args.first is not None else {"growth": growth}
    row = {"patches": args.patches, "count": args.count, **height}
    rows = check_divisions("divide", "layers divided again", [row], {})
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
        print(f"{finding.level}: {finding.message} {finding.advice}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
