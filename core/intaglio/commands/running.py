"""`intaglio run`: a recipe turned into mesh and case, perhaps with other numbers or other parts."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

import yaml

from intaglio.commands.telling import report_lines
from intaglio.errors import FileRejected, IntaglioError, SettingRejected
from intaglio.interface.study import Study, is_mesh, opened, written
from intaglio.parts.source import ACCEPTED
from intaglio.recipe.recipe import read_recipe
from intaglio.stages.layers.missing import NOWHERE
from intaglio.stages.registry import BY_KEY


def run(args: argparse.Namespace) -> int:
    """Run the recipe; 0 if mesh and case of every part are written and can be handed over."""
    numbers, settings = _changes(args.changes)
    if args.parts is None:
        study = _with(opened([args.recipe], None, None, args.quiet, numbers), settings)
        return 0 if _hand_over(study, args.out) else 1
    read_recipe(args.recipe, numbers)  # what no part could mend is refused at once
    parts = _parts(args.parts)
    folders = _folders(parts, args.out)
    lines, good = [], True
    for part, folder in zip(parts, folders, strict=True):
        print(f"-- {part}")
        try:
            study = _with(opened([args.recipe], part, None, args.quiet, numbers), settings)
            passed = _hand_over(study, folder)
            lines.append(f"{'done' if passed else 'with errors':<12} {part}")
        except IntaglioError as error:
            # one part that fails does not stop the others
            passed = False
            print(f"intaglio: {part}: {error.message}", file=sys.stderr)
            lines.append(f"{'failed':<12} {part}: {error.message}")
        good &= passed
    print("\n".join(lines))
    return 0 if good else 1


def _changes(given: list[str]) -> tuple[dict[str, str], dict[str, dict[str, Any]]]:
    """Other numbers by name, and other settings by stage. Raises SettingRejected."""
    numbers: dict[str, str] = {}
    settings: dict[str, dict[str, Any]] = {}
    for text in given:
        name, equals, value = text.partition("=")
        name = name.strip()
        if not equals or not name or not value.strip():
            raise SettingRejected("--set", f"“{text}” is not of the form NAME=VALUE.")
        stage, dot, setting = name.partition(".")
        if not dot:
            numbers[name] = value.strip()
            continue
        if stage not in BY_KEY:
            raise SettingRejected("--set", f"There is no stage {stage}: {', '.join(BY_KEY)}.")
        try:
            settings.setdefault(stage, {})[setting] = yaml.safe_load(value)
        except yaml.YAMLError as error:
            raise SettingRejected(name, f"“{value}” cannot be read: {error}") from error
    return numbers, settings


def _with(study: Study, settings: dict[str, dict[str, Any]]) -> Study:
    return study.set(**settings) if settings else study


def _parts(given: list[Path]) -> list[Path]:
    """Files, and the geometry files of folders, in order. Raises FileRejected."""
    out: list[Path] = []
    for path in given:
        if not path.is_dir():
            out.append(path)
            continue
        found = sorted(p for p in path.iterdir() if p.suffix.lower() in ACCEPTED or is_mesh(p))
        if not found:
            raise FileRejected("no-parts", f"{path} holds no geometry file of a known kind.")
        out += found
    return out


def _folders(parts: list[Path], out: Path) -> list[Path]:
    """A folder for each part: its name, or name and suffix where two have the same."""
    stems = [p.stem.lower() for p in parts]
    names = [p.stem if stems.count(p.stem.lower()) == 1 else p.name for p in parts]
    if len({n.lower() for n in names}) < len(names):
        raise FileRejected("two-parts", "Two of the parts have the same name; rename one.")
    return [out / name for name in names]


def _hand_over(study: Study, folder: Path) -> bool:
    """Write the export and tell of it; whether it can be handed over, and has layers where they
    were asked for."""
    report = study.run("case")
    files = study.case_files()
    written(files, folder)
    told = json.loads(files["report.json"].tobytes())
    for line in report_lines(told):
        print(line)
    print(f"written to {folder}")
    if not report["ready"]:
        print("The case cannot be handed over as it is: see the errors above.")
    layered = not any(f["code"] == NOWHERE for f in told["findings"])
    return bool(told["valid"] and told["ready"] and layered)
