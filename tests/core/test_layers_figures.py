"""Figures of layers on the demo models in their recipes, and on parts of the set nobody drew."""

from pathlib import Path

import numpy as np
import pytest

from intaglio.mesh.quality import cell_metrics, measure
from intaglio.mesh.report import mesh_findings
from intaglio.parts.taking import together
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.stages.volume import volume_mesh
from tests.core.test_layers import scaled_jacobians
from tests.core.world import SET
from tests.core.world.model import source

DEMO = Path(__file__).parents[2] / "demo"


def _covered(report) -> float:
    area = sum(p["area"] for p in report["patches"])
    return sum(p["area"] * p["full"] for p in report["patches"]) / area


def _run(part, name, settings):
    store = MemoryStore()
    states = {s.stage: s for s in run_to("volume", part, name, settings, store)}
    product = store.get(str(states["volume"].key))
    return states["layers"].report, volume_mesh(product), product.arrays["layer"] > 0


@pytest.mark.slow
@pytest.mark.parametrize("name", ["ejector", "drum", "slot", "elbow", "buoy"])
def test_layers_of_demo_models_keep_the_figures(name):
    recipe = read_recipe(DEMO / "recipes" / f"{name}.yaml")
    part = together([(p.name, p.read_bytes()) for p in recipe.parts])
    told, mesh, within = _run(part, recipe.name, plain_settings(recipe))
    # the elbow's sheets end in its walls, with one node at each end that no column stands on
    assert _covered(told) >= (0.985 if name == "elbow" else 0.99)
    measured = measure(mesh)
    assert not [f for f in mesh_findings(mesh, measured) if f.level == "error"]
    metrics = cell_metrics(mesh, measured)
    assert scaled_jacobians(mesh).min() >= 0.2
    assert np.percentile(metrics["non_orthogonality"][within], 99.9) <= 65
    assert metrics["smallest_dihedral"][~within].min() >= 12
    assert metrics["equiangle_skewness"][~within].max() <= 0.85


# cornered, curved on all sides, with sharp edges, in a stream
PARTS = [("split by edges 1", "as-is"), ("waves, few poles 0", "around"), ("duct 4", "as-is"),
         ("lofted 3", "around"), ("header 2", "as-is")]  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize("name, where", PARTS)
def test_layers_that_are_proposed_stand_on_parts_of_the_set(name, where):
    given = {"domain": {"where": where}, "sizing": {"cells": 60_000}}
    told, mesh, within = _run(source(SET[name].make()), "part", given)
    assert _covered(told) >= 0.95 and within.any()
    measured = measure(mesh)
    assert not [f for f in mesh_findings(mesh, measured) if f.level == "error"]
    # where layers end there are thinner cells than these, by few
    metrics = cell_metrics(mesh, measured)
    assert np.percentile(metrics["non_orthogonality"][within], 99) <= 65
