"""`intaglio findings`, `convert` and `write`: geometry files judged, turned into others, and those
of a recipe's stages."""

import argparse
import json
from pathlib import Path

from intaglio.parts.reading import source_of
from intaglio.parts.taking import take_in
from intaglio.parts.writing import file_suffix, files_of, given_model, patch_faces
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import read_recipe
from intaglio.settings.blanks import build
from intaglio.stages.geometry.settings import Geometry
from intaglio.stages.geometry.step import geometry_step
from intaglio.stages.registry import BY_KEY


def findings(args: argparse.Namespace) -> int:
    """Read parts and tell what is wrong with them; 0 if they are closed, 1 if not."""
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


def convert(args: argparse.Namespace) -> int:
    """Write a part in another format, whole or body by body; 0."""
    model = take_in(source_of([args.source]), "file").model
    files = files_of(model, file_suffix(str(args.target)), args.per, args.target.stem)
    if args.per == "whole":
        _save({args.target.name: next(iter(files.values()))}, args.target.parent)
    else:
        _save({f"{args.target.stem}_{k}": v for k, v in files.items()}, args.target.parent)
    return 0


def write(args: argparse.Namespace) -> int:
    """Run a recipe up to a stage and write its geometry; 0."""
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
    model = given_model(BY_KEY[args.stage].gives, store.get(key))
    suffix = "." + args.suffix.lstrip(".").lower()
    _save(files_of(model, suffix, args.per, f"{recipe.name}_{args.stage}", patches), args.out)
    return 0


def _save(files: dict[str, bytes], folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in files.items():
        (folder / name).write_bytes(data)
        print(folder / name)
