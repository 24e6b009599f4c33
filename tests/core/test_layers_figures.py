"""Figures of layers on the demo models in their recipes, and on parts of the set nobody drew."""

from pathlib import Path

import numpy as np
import pytest
import vtk
from vtk.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray

from intaglio.layers.heights import Heights, total
from intaglio.parts.source import together
from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings
from intaglio.quality.values import Values, cell_values
from intaglio.recipe.plan import run_to
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.stages.layers.step import COVER
from intaglio.stages.volume import volume_mesh
from tests.core.test_layers import scaled_jacobians
from tests.core.world import SET
from tests.core.world.model import source
from tests.made import SharedStore

DEMO = Path(__file__).parents[2] / "demo"


def _covered(report) -> float:
    area = sum(p["area"] for p in report["patches"])
    return sum(p["area"] * p["full"] for p in report["patches"]) / area


def _run(part, name, settings, store=None):
    store = store or SharedStore()
    states = {s.stage: s for s in run_to("volume", part, name, settings, store)}
    product = store.get(str(states["volume"].key))
    return states["layers"].report, volume_mesh(product), product.arrays["layer"] > 0


def _rays(points, triangles, start, way, far):
    """Distance (k,) from each start (k, 3) along way to the next triangle, by VTK."""
    surface = vtk.vtkPolyData()
    held = vtk.vtkPoints()
    held.SetData(numpy_to_vtk(points, deep=1))
    surface.SetPoints(held)
    cells = vtk.vtkCellArray()
    cells.SetData(3, numpy_to_vtkIdTypeArray(triangles.ravel().astype(np.int64), deep=1))
    surface.SetPolys(cells)
    finder = vtk.vtkStaticCellLocator()
    finder.SetDataSet(surface)
    finder.BuildLocator()
    out = np.full(len(start), np.inf)
    at, place, within = [0.0] * 3, [0.0] * 3, vtk.mutable(0)
    share, cell = vtk.mutable(0.0), vtk.mutable(0)
    for k, (a, d) in enumerate(zip(start, way, strict=True)):
        if finder.IntersectWithLine(a, a + far * d, 1e-12, share, at, place, within, cell):
            out[k] = np.linalg.norm(np.array(at) - a)
    return out


def _covered_where_there_is_room(product):
    """Share of the walls' area with all layers, where the way to the next wall is twice as long as
    the layers that are asked for are high."""
    a = product.arrays
    points, triangles = a["display_points"].astype(float), a["display_triangles"]
    asked = np.flatnonzero(a["display_cover"] > COVER.index("unasked"))
    high = np.zeros(len(triangles))
    for zone in np.unique(a["display_zone"][asked]).tolist():
        own = asked[a["display_zone"][asked] == zone]
        rows = zip(*(a[f"{n}_{zone}"] for n in ("first", "growth", "count")), strict=True)
        each = np.array([total(Heights(f, g, int(n))) if n else 0.0 for f, g, n in rows])
        high[own] = each[a["display_corners"][own]].mean(axis=1)
    p = points[triangles[asked]]
    across = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(across, axis=1) / 2
    way = -across / (2 * area[:, None])
    off = 1e-3 * np.sqrt(area)[:, None] * way
    room = _rays(points, triangles, p.mean(axis=1) + off, way, 3 * np.ptp(points, axis=0).max())
    enough = room >= 2 * high[asked]
    full = np.isin(a["display_cover"][asked], [COVER.index("full"), COVER.index("lowered")])
    return area[enough & full].sum() / area[enough].sum(), area[enough].sum() / area.sum()


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
    metrics = cell_values(Values(mesh, measured), Values(mesh).known())
    assert scaled_jacobians(mesh).min() >= 0.2
    assert np.percentile(metrics["non_orthogonality"][within], 99.9) <= 65
    assert metrics["smallest_dihedral"][~within].min() >= 12
    # a roof over the end of a vane is a little flatter
    assert metrics["equiangle_skewness"][~within].max() <= (0.86 if name == "elbow" else 0.85)


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
    metrics = cell_values(Values(mesh, measured), Values(mesh).known())
    assert np.percentile(metrics["non_orthogonality"][within], 99) <= 65


# many and few, thick and thin: first layers down to a millionth of the model's size
MANY = [("duct 3", "as-is", 24, 1.15, 0.5, 0),
        ("fillets that run out 1", "around", 36, 1.1, 0.5, 0),
        ("split by edges 0", "as-is", 36, 1.25, 0, 1e-6),
        ("coarse facets 4", "around", 4, 1.35, 0.5, 0)]  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize("name, where, count, growth, last, first", MANY)
def test_layers_of_all_numbers_stand_where_there_is_room(name, where, count, growth, last, first):
    part, store = source(SET[name].make()), SharedStore()
    given = {"domain": {"where": where}, "sizing": {"cells": 60_000}}
    row = {"patches": ["*"], "count": count, "growth": growth}
    if first:
        states = {s.stage: s for s in run_to("domain", part, "part", given, store)}
        row["first"] = first * float(np.linalg.norm(states["domain"].report["size"]))
    else:
        row["last"] = last
    given["layers"] = {"layers": [row]}
    told, mesh, within = _run(part, "part", given, store)
    assert within.any() and told["cells"] > 0
    measured = measure(mesh)
    assert not [f for f in mesh_findings(mesh, measured) if f.level == "error"]
    (product,) = (p for p in store.products.values() if "display_corners" in p.arrays)
    covered, roomy = _covered_where_there_is_room(product)
    assert roomy > 0.2 and covered >= 0.95
    assert scaled_jacobians(mesh).min() >= 0.2
    assert np.percentile(Values(mesh, measured).of_cells("non_orthogonality")[within], 99.9) <= 65


@pytest.mark.slow
def test_columns_that_part_at_the_rims_of_holes_bend_no_face():
    # a plate of 1 mm with holes under edges of 3 mm: it grew faces bent by 83 degrees
    part = source(SET["plate with holes 0"].make())
    given = {"domain": {"where": "around"}, "sizing": {"cells": 60_000}}
    given["layers"] = {"layers": [{"patches": ["*"], "count": 24, "growth": 1.35, "first": 2e-3}]}
    _, mesh, within = _run(part, "part", given)
    assert within.any()
    assert not [f for f in mesh_findings(mesh, measure(mesh)) if f.level == "error"]
