"""Three zones that meet at one curve: conformal, exact and improved like a single one."""

import numpy as np
import pytest
from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.gp import gp_Pnt
from OCP.TopoDS import TopoDS

from intaglio.cad.read import compound
from intaglio.quality.cells import dihedral_angles, tet_volumes
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.volume import volume_mesh
from tests.core.hard_shapes import moved
from tests.core.shapes import BARE, cut, cylinder
from tests.core.test_domains import _cad


def _sleeve(start: float, length: float):
    return cut(
        cylinder((start, 0, 0), (1, 0, 0), 10, length),
        cylinder((start - 1, 0, 0), (1, 0, 0), 6, length + 2),
    )


@pytest.mark.parametrize("seed", [1, 2])
def test_two_sleeves_and_the_water_in_them(seed):
    # both sleeves end in one ring, where sleeve, sleeve and water meet
    both, scale = moved(compound([_sleeve(0, 20), _sleeve(20, 20)]), seed)
    place = moved(BRepBuilderAPI_MakeVertex(gp_Pnt(20, 0, 0)).Vertex(), seed)[0]
    at = BRep_Tool.Pnt_s(TopoDS.Vertex_s(place))
    centre = np.array([at.X(), at.Y(), at.Z()])
    source = _cad(both, names=("left", "right"))
    store = MemoryStore()
    states = {s.stage: s for s in run_to("geometry", source, "sleeves", {}, store)}
    openings = [o["name"] for o in states["geometry"].report["openings"]]
    settings = {
        **BARE,
        "domain": {
            "where": "inside",
            "closed": openings,
            "pin": [{"name": "water", "at": centre.tolist()}],
            "solids": ["*"],
        },
        "sizing": {"smallest": 1.2 * scale, "largest": 2.5 * scale},
    }
    states = {s.stage: s for s in run_to("volume", source, "sleeves", settings, store)}
    made = volume_mesh(store.get(str(states["volume"].key)))
    points, tets, zone = made.points, made.tets, made.zone
    filled = np.bincount(zone, tet_volumes(points, tets))
    names = [z["name"] for z in states["domain"].report["zones"]]
    wanted = {"water": np.pi * 36 * 40, "left": np.pi * 64 * 20, "right": np.pi * 64 * 20}
    for name, volume in zip(names, filled, strict=True):
        # chords of a circle: what is missing goes with the square of the turn per edge
        assert volume == pytest.approx(wanted[name] * scale**3, rel=0.03)
    # nodes of the ring belong to cells of all three
    zones_at = np.zeros((len(points), 3), bool)
    for k in range(3):
        zones_at[tets[zone == k].ravel(), k] = True
    ring = points[zones_at.all(axis=1)]
    assert len(ring) >= 12
    assert np.linalg.norm(ring - centre, axis=1) == pytest.approx(6 * scale, rel=1e-6)
    assert dihedral_angles(points, tets)[0].min() > 18
    assert states["volume"].report["findings"] == []
