"""The command `intaglio`: draft a recipe, run it, check a mesh."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from intaglio import __version__
from intaglio.errors import Cancelled, FileRejected, IntaglioError, SettingRejected


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="intaglio", description="From a CAD part to a checked mesh and case."
    )
    parser.add_argument("--version", action="version", version=f"intaglio {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    draft = commands.add_parser("draft", help="write a recipe with settings derived from a part")
    draft.add_argument("part", type=Path, help="a STEP file")
    draft.add_argument("-o", "--output", type=Path, required=True, help="the recipe to write")
    draft.add_argument(
        "--fluid", choices=("inside", "as-is"), help="where the fluid is; derived if not given"
    )
    run = commands.add_parser("run", help="run a recipe and write the export")
    run.add_argument("recipe", type=Path)
    run.add_argument("--out", type=Path, required=True, help="folder for the files")
    run.add_argument("--quiet", action="store_true", help="no progress")
    check = commands.add_parser("check", help="print counts, patches, quality, validity of a mesh")
    check.add_argument("mesh", type=Path, help="a CGNS file")
    check.add_argument("--json", action="store_true", help="as JSON")
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
            return _run(args)
        if args.command == "check":
            return _check(args)
        if args.command == "schema":
            from intaglio.recipe.stages import recipe_schema

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
        print(f"intaglio: {error.filename}: {error.strerror}", file=sys.stderr)
        return 2


def _draft(args: argparse.Namespace) -> int:
    from intaglio.errors import StepFailed
    from intaglio.recipe.plan import MemoryStore, run_to
    from intaglio.recipe.recipe import write_recipe

    source = _source(args.part)
    given: dict[str, dict[str, Any]] = {}
    store = MemoryStore()
    states = {s.stage: s for s in run_to("geometry", source, args.part.stem, given, store)}
    report = states["geometry"].report
    assert report is not None
    if args.fluid == "as-is":
        given["domain"] = {"where": "as-is", "closed": []}
    elif args.fluid == "inside":
        if not report["spaces"]:
            raise StepFailed(
                "no-space",
                f"{args.part.name} encloses no space that flat closings of its openings would "
                "complete. Draft it with --fluid as-is if the part itself is the fluid.",
            )
        space = report["spaces"][0]
        given["domain"] = {"where": "inside", "closed": space["openings"], "pin": space["pin"]}
    states = {s.stage: s for s in run_to("patches", source, args.part.stem, given, store)}
    try:
        part = str(args.part.resolve().relative_to(args.output.resolve().parent))
    except ValueError:
        part = str(args.part.resolve())
    settings = {k: s.settings for k, s in states.items() if s.settings}
    write_recipe(
        args.output,
        part,
        args.part.stem,
        settings,
        {k: s.reasons for k, s in states.items()},
        report["unit"],
    )
    print(f"{args.output}: recipe for {args.part.name}, {settings['domain']['where']}")
    return 0


def _source(path: Path) -> Any:
    from intaglio.recipe.steps import Source

    try:
        return Source(path.name, path.read_bytes())
    except OSError as error:
        raise FileRejected("unreadable", f"{path} cannot be read: {error.strerror}.") from error


def _run(args: argparse.Namespace) -> int:
    import io
    import zipfile

    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    from intaglio.recipe.plan import MemoryStore, run_to
    from intaglio.recipe.recipe import read_recipe

    recipe = read_recipe(args.recipe)
    source = _source(recipe.part)
    store = MemoryStore()
    columns = (
        TextColumn("{task.fields[stage]:<9}"),
        BarColumn(),
        TextColumn("{task.percentage:>3.0f} %"),
        TimeRemainingColumn(),
        TextColumn("{task.fields[doing]}"),
    )
    with Progress(*columns, disable=args.quiet) as bar:
        tasks: dict[str, Any] = {}

        def progress(stage: str, share: float, doing: str) -> None:
            if stage not in tasks:
                tasks[stage] = bar.add_task(stage, total=1.0, stage=stage, doing=doing)
            bar.update(tasks[stage], completed=share, doing=doing)

        states = run_to(
            "case", source, recipe.name, recipe.settings, store, progress, recipe.numbers
        )
    last = states[-1]
    assert last.key is not None and last.report is not None
    args.out.mkdir(parents=True, exist_ok=True)
    data = store.get(last.key).arrays["zip"].tobytes()
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        archive.extractall(args.out)
    report = json.loads((args.out / "report.json").read_text())
    _print_report(report)
    print(f"written to {args.out}")
    return 0 if report["valid"] else 1


def _check(args: argparse.Namespace) -> int:
    from intaglio.formats.cgns import read_cgns
    from intaglio.mesh.report import mesh_findings, report

    if not args.mesh.is_file():
        raise FileRejected("unreadable", f"{args.mesh} does not exist or is no file.")
    mesh = read_cgns(args.mesh)
    result = report(mesh, mesh_findings(mesh))
    if args.json:
        print(json.dumps(result, indent=1))
    else:
        _print_report(result)
    return 0 if result["valid"] else 1


def _print_report(report: dict[str, Any]) -> None:
    unit = report["unit"]
    print(f"{report['cells']:,} cells, {report['points']:,} points")
    for name, zone in report["zones"].items():
        counted = f"{zone['kind']:<9} {zone['cells']:>10,} cells"
        print(f"zone  {name:<20} {counted}  {zone['volume']:.9g} {unit}³")
    for name, patch in report["patches"].items():
        counted = f"{patch['kind']:<9} {patch['faces']:>10,} faces"
        print(f"patch {name:<20} {counted}  {patch['area']:.9g} {unit}²")
    for metric, value in report["quality"].items():
        print(
            f"{metric:<26} min {value['min']:<10.4g} max {value['max']:<10.4g} "
            f"mean {value['mean']:.4g}"
        )
    for finding in report["findings"]:
        print(
            f"{finding['level']}: {finding['message']} ({finding['count']:,}) {finding['advice']}"
        )
    print("valid" if report["valid"] else "NOT VALID")


if __name__ == "__main__":
    sys.exit(main())
