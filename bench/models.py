"""The demo models that the benches mesh: their recipes, with all sizes times a factor."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.parts.source import Source
from intaglio.recipe.plan import MemoryStore, StageState, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.sizing.octree import SizeField
from intaglio.stages.sizing.made import field_of

ROOT = Path(__file__).resolve().parents[1]
# round and inside, flat and sharp, several zones
MODELS = ("ejector", "drum", "cooler")


@dataclass(frozen=True)
class Surfaced:
    """A surface mesh, ready to be filled: sides (m, 2) zones behind and before each triangle; and
    how long it took."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    sides: NDArray[np.int32]
    field: SizeField
    seconds: float


def run(
    name: str, factor: float, target: str, more: dict[str, dict[str, Any]] | None = None
) -> tuple[dict[str, StageState], MemoryStore]:
    """A demo model run to a stage, its smallest and largest edge times the factor, without layers;
    more: settings besides those of its recipe, by stage."""
    recipe = read_recipe(ROOT / f"demo/recipes/{name}.yaml")
    settings: dict[str, dict[str, Any]] = plain_settings(recipe)
    source = Source(recipe.parts[0].name, recipe.parts[0].read_bytes())
    store = MemoryStore()
    own = {s.stage: s for s in run_to("patches", source, recipe.name, settings, store)}["sizing"]
    assert own.settings is not None
    sizes = {key: own.settings[key] * factor for key in ("smallest", "largest")}
    settings["sizing"] = {**settings.get("sizing", {}), **sizes}
    settings |= {"layers": {"layers": []}} | (more or {})
    return {s.stage: s for s in run_to(target, source, recipe.name, settings, store)}, store


def surfaced(name: str, factor: float) -> Surfaced:
    """The surface mesh of a demo model."""
    from intaglio.stages.sizing.local_sizes import sides_of

    states, store = run(name, factor, "surface")
    product, sizing = (store.get(str(states[k].key)) for k in ("surface", "sizing"))
    points, triangles, region = (
        np.ascontiguousarray(product.arrays[k]) for k in ("points", "triangles", "region")
    )
    assert states["domain"].report is not None
    sides = sides_of(states["domain"].report)[region]
    seconds = product.report["step"]["seconds"]
    return Surfaced(points, triangles, region, sides, field_of(sizing), seconds)
