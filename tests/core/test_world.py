"""Parts like the world's become valid meshes, no hand touching them but for the number of cells."""

import numpy as np
import pytest

from intaglio.recipe.plan import run_to
from tests.core.shapes import BARE
from tests.core.world import SET
from tests.core.world.model import source
from tests.made import SharedStore

# cells: those of the default, 300,000, where none are given
CASES = [
    ("split by edges 1", "as-is", None),
    ("fillets that run out 1", "as-is", None),
    ("knob 1", "around", 120_000),
    ("nurbs 1", "around", 120_000),
    ("lofted 3", "as-is", None),
    ("duct 4", "as-is", 120_000),
    ("blended tubes 1", "around", 120_000),
    ("coarse facets 3", "around", None),
]


@pytest.mark.slow
@pytest.mark.parametrize("name, where, cells", CASES)
def test_a_part_of_the_set_becomes_a_good_mesh(name, where, cells):
    part = source(SET[name].make())
    given = {**BARE, "domain": {"where": where}, "sizing": {"cells": cells} if cells else {}}
    states = {s.stage: s.report for s in run_to("volume", part, "part", given, SharedStore())}
    volume, surface = states["volume"], states["surface"]
    assert volume["cells"] == pytest.approx(cells or 300_000, rel=0.25)
    assert volume["quality"]["smallest_dihedral"]["min"] >= 12
    assert volume["quality"]["equiangle_skewness"]["max"] <= 0.85
    assert surface["quality"]["smallest_angle"]["min"] >= 20
    assert surface["rounds"] <= 2
    assert not [f for f in surface["findings"] + volume["findings"] if f["level"] == "error"]
    # chords cut off little of the true volume, and no more than the mean sagitta of the edges
    assert abs(surface["volume_error"]) < 4e-3


@pytest.mark.slow
def test_seams_cost_no_cells_and_their_ends_no_angle():
    """The same part, its faces cut 0.05 mm apart and whole, by the figures."""
    part = source(SET["split by edges 2"].make())
    given = {**BARE, "domain": {"where": "as-is"}, "sizing": {"cells": 60_000}}
    store = SharedStore()
    walked = {s.stage: s for s in run_to("volume", part, "part", given, store)}
    given["sizing"]["walk_over"] = 0
    kept = {s.stage: s for s in run_to("surface", part, "part", given, store)}
    angle = [s["surface"].report["quality"]["smallest_angle"]["min"] for s in (walked, kept)]
    assert angle[0] > 20 and angle[1] < 6
    assert walked["volume"].report["quality"]["smallest_dihedral"]["min"] >= 12
    # every face of the CAD is still in the mesh, and each where it was
    faces = walked["domain"].report["faces"]
    region = store.get(walked["surface"].key).arrays["region"]
    points = store.get(walked["surface"].key).arrays["points"]
    triangles = store.get(walked["surface"].key).arrays["triangles"]
    a, b, c = (points[triangles[:, i]] for i in range(3))
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    edge = np.sqrt(area.mean())
    for number, face in enumerate(faces):
        own = area[region == number].sum()
        assert own == pytest.approx(face["area"], abs=4 * edge * np.sqrt(face["area"]) + 0.1)
