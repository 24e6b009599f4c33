"""Where two rows of layers meet, one leads over to the other within a few edges."""

import numpy as np

from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.volume import volume_mesh
from tests.core.shapes import cylinder, fuse, source


def test_two_rows_blend_along_a_pipe(tmp_path):
    rod = fuse(cylinder((0, 0, 0), (1, 0, 0), 5, 20), cylinder((20, 0, 0), (1, 0, 0), 5, 20))
    patches = [
        {"name": "wall_a", "kind": "wall", "faces": ["@ 10 0 5"]},
        {"name": "wall_b", "kind": "wall", "faces": ["@ 30 0 5"]},
        {"name": "ends", "kind": "inlet", "faces": "rest"},
    ]
    rows = [
        {"patches": ["wall_a"], "count": 3, "growth": 1.2, "first": 0.05},
        {"patches": ["wall_b"], "count": 6, "growth": 1.1, "first": 0.15},
    ]
    given = {
        "domain": {"where": "as-is"},
        "patches": {"patches": patches},
        "sizing": {"smallest": 0.8, "largest": 1.2},
        "layers": {"layers": rows},
    }
    store = MemoryStore()
    states = {s.stage: s for s in run_to("volume", source(rod, tmp_path), "rod", given, store)}
    layers = store.get(str(states["layers"].key)).arrays
    points, triangles = layers["display_points"].astype(float), layers["display_triangles"]
    wall = layers["display_cover"] > 0
    nodes, corner = np.unique(layers["display_corners"][wall], return_index=True)
    place = points[triangles[wall].ravel()[corner]]
    x, first, count = place[:, 0], layers["first_0"][nodes], layers["count_0"][nodes]
    # as asked for a few edges from where they meet
    np.testing.assert_allclose(first[x < 12], 0.05, rtol=1e-9)
    np.testing.assert_allclose(first[x > 28], 0.15, rtol=1e-9)
    assert set(count[x < 19]) == {3} and set(count[x > 21]) == {6}
    # between them neither jumps nor turns back: over an edge of 1.2 by less than the half
    held = np.full(layers["display_corners"].max() + 1, np.nan)
    held[nodes] = np.log(first)
    rows_of = layers["display_corners"][wall]
    steps = np.abs(held[rows_of] - held[np.roll(rows_of, 1, axis=1)])
    assert steps.max() < 0.5 * np.log(3.0)
    means = [first[(x >= a) & (x < a + 2)].mean() for a in range(12, 28, 2)]
    assert (np.diff(means) >= -1e-12).all() and means[3] < 0.1 < means[4]
    product = store.get(str(states["volume"].key))
    mesh = volume_mesh(product)
    assert not [f for f in mesh_findings(mesh, measure(mesh)) if f.level == "error"]
    # three layers end where six begin: pyramids and tetrahedra close the step
    assert product.report["cells_by_shape"]["pyramid"] > 0
