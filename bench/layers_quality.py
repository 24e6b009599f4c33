"""Shapes of layers on the demo models: what of the walls they cover, and how good the cells are.

In their recipes, and with other numbers and growths, the last layer half as high as the wall's
edges. *first* is the share of the walls on which the first layer is within 5 % of what is asked
for, *jacobian* the scaled Jacobian of the prisms by VTK, least and of all but 1 %; *non-orthogonal*
holds for 99.9 % of the cells in layers, *dihedral* is the least of the core.

    python -m bench.layers_quality [MODEL ...]
"""

import sys
from pathlib import Path

import numpy as np

from intaglio.parts.source import together
from intaglio.quality.values import Values, cell_values
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.stages.volume import volume_mesh
from intaglio.triangles.measures import triangle_areas
from tests.core.test_layers import scaled_jacobians

ROOT = Path(__file__).resolve().parents[1]
MODELS = ("ejector", "drum", "slot", "elbow", "buoy", "cooler")
ASKED = (None, (4, 1.35), (12, 1.2), (24, 1.15), (36, 1.1))


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


def row(name: str, asked: tuple[int, float] | None) -> str:
    recipe = read_recipe(ROOT / f"demo/recipes/{name}.yaml")
    settings = plain_settings(recipe)
    if asked is not None:
        rows = [{"patches": ["*"], "count": asked[0], "growth": asked[1], "last": 0.5}]
        settings["layers"] = {"layers": rows}
    store = MemoryStore()
    source = together([(p.name, p.read_bytes()) for p in recipe.parts])
    states = {s.stage: s for s in run_to("volume", source, recipe.name, settings, store)}
    told = states["layers"].report
    assert told is not None
    product = store.get(str(states["volume"].key))
    mesh, layer = volume_mesh(product), product.arrays["layer"]
    metrics = cell_values(Values(mesh), Values(mesh).known())
    within = layer > 0
    area = sum(p["area"] for p in told["patches"])
    full = sum(p["area"] * p["full"] for p in told["patches"]) / area
    kept = first_kept(
        dict(store.get(str(states["layers"].key)).arrays),
        dict(store.get(str(states["surface"].key)).arrays),
    )
    shape = scaled_jacobians(mesh)
    what = "recipe" if asked is None else f"{asked[0]} by {asked[1]:g}"
    return (
        f"{name:<9}{what:<11}{int(within.sum()):>10,}{100 * full:>8.1f} %{100 * kept:>8.1f} %"
        f"{shape.min():>8.2f}{np.percentile(shape, 1):>6.2f}"
        f"{np.percentile(metrics['non_orthogonality'][within], 99.9):>8.0f}°"
        f"{metrics['smallest_dihedral'][~within].min():>8.1f}°"
    )


def main() -> None:
    print(f"{'':<20}{'in layers':>10}{'all on':>10}{'first':>10}{'jacobian':>14}"
          f"{'non-orth.':>9}{'dihedral':>9}")  # fmt: skip
    for name in sys.argv[1:] or MODELS:
        for asked in ASKED:
            try:
                print(row(name, asked), flush=True)
            except Exception as error:
                print(f"{name:<9}{asked} {type(error).__name__}: {error}", flush=True)


if __name__ == "__main__":
    main()
