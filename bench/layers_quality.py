"""Shapes of layers: what of the walls they cover, and what they cost the mesh.

The demo models in their recipes and with other numbers and growths; with --set the parts of the
tests' set, within and in a stream, and with --hard the hard shapes, each with the layers that are
proposed (or NUMBERxGROWTH ones). Each mesh is held against that of the same part without layers:
least dihedral angle, largest equiangle skewness and least scaled Jacobian of all cells, and how
many cells are beyond 12°, 0.85 or 0.15. *all on* is the share of the walls with all layers, *first*
that on which the first is within 5 % of what is asked for.

    python -m bench.layers_quality [MODEL ...] [--set] [--hard] [--layers 24x1.15] [--part K/N]
"""

import argparse
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cad.write import step_bytes
from intaglio.parts.source import Source, together
from intaglio.quality.values import Values, cell_values
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.stages.volume import volume_mesh
from intaglio.triangles.measures import triangle_areas
from tests.core.hard_shapes import HARD
from tests.core.world import SET
from tests.core.world.model import source

ROOT = Path(__file__).resolve().parents[1]
MODELS = ("ejector", "drum", "slot", "elbow", "buoy", "cooler")
ASKED = ((4, 1.35), (12, 1.2), (24, 1.15), (36, 1.1))
_CELLS = 40_000
_LEAST_ANGLE, _MOST_SKEW, _LEAST_JACOBIAN = 12.0, 0.85, 0.15

Settings = dict[str, dict[str, Any]]


@dataclass(frozen=True)
class Case:
    """A part with its settings, and the rows of layers to try on it: None for those of the settings
    or the proposed ones."""

    name: str
    make: Callable[[], Source]
    settings: Settings
    asked: tuple[tuple[int, float] | None, ...]


def demo(names: list[str], asked: tuple[int, float] | None) -> Iterator[Case]:
    for name in names or MODELS:
        recipe = read_recipe(ROOT / f"demo/recipes/{name}.yaml")
        yield Case(
            name,
            lambda recipe=recipe: together([(p.name, p.read_bytes()) for p in recipe.parts]),
            plain_settings(recipe),
            (asked,) if asked else (None, *ASKED),
        )


def parts(asked: tuple[int, float] | None) -> Iterator[Case]:
    for name, model in SET.items():
        if not model.slow:
            for where in ("as-is", "around"):
                given: Settings = {"domain": {"where": where}, "sizing": {"cells": _CELLS}}
                yield Case(f"{name}, {where}", lambda m=model: source(m.make()), given, (asked,))


def hard(asked: tuple[int, float] | None) -> Iterator[Case]:
    for name, (make, smallest, largest) in HARD.items():
        sizing = {"smallest": smallest, "largest": largest}
        yield Case(
            name,
            lambda make=make: Source("part.step", step_bytes(Part(compound([make()]), "mm"))),
            {"domain": {"where": "as-is"}, "sizing": sizing},
            (asked,),
        )


def first_kept(arrays: dict[str, np.ndarray], surface: dict[str, np.ndarray]) -> float:
    """Share of the area with layers on which the first is as high as asked for."""
    points, triangles = surface["points"], surface["triangles"]
    kept = area = 0.0
    zone = 0
    while f"thinned_{zone}" in arrays:
        number, thin = arrays[f"number_{zone}"][: len(points)], arrays[f"thinned_{zone}"]
        on = (number[triangles] > 0).all(axis=1)
        size = triangle_areas(points, triangles[on])
        area += float(size.sum())
        kept += float(size[(thin[triangles[on]] >= 0.95).all(axis=1)].sum())
        zone += 1
    return kept / max(area, 1e-300)


def worst(metrics: dict[str, np.ndarray]) -> str:
    angle, skew = metrics["smallest_dihedral"], metrics["equiangle_skewness"]
    jacobian = metrics["scaled_jacobian"]
    return f"{angle.min():>7.1f}°{skew.max():>6.2f}{jacobian.min():>6.2f}"


def rows(case: Case) -> Iterator[str]:
    """A line for the part without layers, and one for each that it gets."""
    store, part = MemoryStore(), case.make()
    tried: list[tuple[str, Settings]] = [("none", case.settings | {"layers": {"layers": []}})]
    for asked in case.asked:
        given, what = case.settings, "proposed" if "layers" not in case.settings else "recipe"
        if asked is not None:
            row = {"patches": ["*"], "count": asked[0], "growth": asked[1], "last": 0.5}
            given, what = given | {"layers": {"layers": [row]}}, f"{asked[0]} by {asked[1]:g}"
        tried.append((what, given))
    for what, given in tried:
        line = f"{case.name:<30}{what:<11}"
        try:
            states = {s.stage: s for s in run_to("volume", part, "part", given, store)}
        except Exception as error:
            yield f"{line}{type(error).__name__}: {error}"
            continue
        product = store.get(str(states["volume"].key))
        mesh = volume_mesh(product)
        metrics = cell_values(Values(mesh), Values(mesh).known())
        line += f"{mesh.cells:>10,}{worst(metrics)}"
        if what != "none":
            beyond = metrics["smallest_dihedral"] < _LEAST_ANGLE
            beyond |= metrics["equiangle_skewness"] > _MOST_SKEW
            beyond |= metrics["scaled_jacobian"] < _LEAST_JACOBIAN
            line += f"{int(beyond.sum()):>8,}"
            told = states["layers"].report
            area = sum(p["area"] for p in told["patches"]) if told else 0.0
            if told and area:
                full = sum(p["area"] * p["full"] for p in told["patches"]) / area
                kept = first_kept(
                    dict(store.get(str(states["layers"].key)).arrays),
                    dict(store.get(str(states["surface"].key)).arrays),
                )
                line += f"{100 * full:>8.1f} %{100 * kept:>8.1f} %"
        yield line


def main() -> None:
    told = argparse.ArgumentParser(description=__doc__)
    told.add_argument("models", nargs="*")
    told.add_argument("--set", action="store_true")
    told.add_argument("--hard", action="store_true")
    told.add_argument("--layers")
    told.add_argument("--part", default="0/1")
    args = told.parse_args()
    asked = None
    if args.layers:
        number, growth = args.layers.split("x")
        asked = (int(number), float(growth))
    if args.set or args.hard:
        cases = [*(parts(asked) if args.set else ()), *(hard(asked) if args.hard else ())]
        cases = [c for c in cases if not args.models or any(m in c.name for m in args.models)]
    else:
        cases = list(demo(args.models, asked))
    first, step = (int(v) for v in args.part.split("/"))
    print(f"{'part':<30}{'layers':<11}{'cells':>10}{'dihedral':>8}{'skew':>6}{'jac.':>6}"
          f"{'beyond':>8}{'all on':>10}{'first':>10}")  # fmt: skip
    for case in cases[first::step]:
        for line in rows(case):
            print(line, flush=True)


if __name__ == "__main__":
    main()
