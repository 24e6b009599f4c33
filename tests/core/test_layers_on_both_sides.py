"""Layers on walls with two sides: between a fluid and a solid, between fluids, and on sheets."""

import math

import numpy as np
import pytest

from intaglio.layers.shell import mates, parted
from tests.core.shapes import cut, cylinder
from tests.core.test_layers import all_sound, layered_mesh, volumes
from tests.core.test_standing_sheets import across, duct, quad, step

# a sleeve of radii 6 and 10, 20 long, and the water in it
WATER = {
    "where": "inside",
    "closed": ["opening_1", "opening_2"],
    "pin": [{"name": "water", "at": [10, 0, 0]}],
    "solids": ["*"],
}


def _sleeve():
    return cut(cylinder((0, 0, 0), (1, 0, 0), 10, 20), cylinder((-1, 0, 0), (1, 0, 0), 6, 22))


def _codes(made) -> set[str]:
    return {f["code"] for f in made.told["findings"]}


def _zone_volumes(made, layer: bool) -> dict[str, float]:
    own = (made.layer > 0) == layer
    size = volumes(made)
    return {
        zone.name: float(size[own & (made.mesh.zone == z)].sum())
        for z, zone in enumerate(made.mesh.zones)
    }


@pytest.mark.parametrize("solids", [False, True])
def test_a_wall_between_water_and_a_solid(tmp_path, solids):
    row = {"patches": ["water_to_*"], "count": 4, "growth": 1.2, "total": 0.8}
    if solids:
        row["solids"] = True
    made = layered_mesh(_sleeve(), tmp_path, [row], {"smallest": 1.2, "largest": 2.0}, WATER)
    all_sound(made)
    within = _zone_volumes(made, True)
    (solid,) = set(within) - {"water"}
    ring = math.pi * (36 - 5.2**2) * 20
    assert within["water"] == pytest.approx(ring, rel=0.03)
    # in the sleeve they stand in the ring around, on the same triangles
    around = math.pi * (6.8**2 - 36) * 20
    assert within[solid] == (pytest.approx(around, rel=0.03) if solids else 0.0)
    rest = _zone_volumes(made, False)
    assert within["water"] + rest["water"] == pytest.approx(math.pi * 36 * 20, rel=0.02)
    assert within[solid] + rest[solid] == pytest.approx(math.pi * 64 * 20, rel=0.02)
    # the wall is the same faces for both zones
    wall = np.flatnonzero((made.mesh.patch >= 0) & (made.mesh.neighbour >= 0))
    zone = made.mesh.zone
    assert (zone[made.mesh.owner[wall]] != zone[made.mesh.neighbour[wall]]).all()
    (told,) = made.told["patches"]
    assert told["full"] == 1.0
    assert told["area"] == pytest.approx((1 + solids) * 2 * math.pi * 6 * 20, rel=0.01)


def test_walls_of_solids_grow_none_unless_they_are_asked_to(tmp_path):
    row = {"patches": ["*"], "count": 3, "growth": 1.2, "last": 0.3}
    made = layered_mesh(_sleeve(), tmp_path, [row], {"smallest": 1.5, "largest": 2.5}, WATER)
    all_sound(made)
    assert "layers-solid" in _codes(made)
    within = _zone_volumes(made, True)
    assert within.pop("water") > 0 and not any(within.values())


def test_both_sides_of_a_sheet_from_wall_to_wall(tmp_path):
    # a plate that closes a duct but for the ends of the plate, along x from 40 to 60
    plate = quad((30, -10, 0), (70, -10, 0), (70, 10, 0), (30, 10, 0))
    row = {"patches": ["plate*"], "count": 4, "growth": 1.2, "total": 1.0}
    made = layered_mesh(
        step(("duct", duct()), ("plate", plate)),
        tmp_path,
        [row],
        {"smallest": 1.5, "largest": 2.5},
    )
    all_sound(made)
    size = volumes(made)
    # a slab on each side, and half a disc around each free rim, of which the bands have the most
    within = float(size[made.layer > 0].sum())
    assert 0.96 * 2 * 40 * 20 < within < 2 * 40 * 20 + 1.1 * 20 * math.pi
    assert made.volume["cells_by_shape"]["hexahedron"] > 0
    told = made.told["patches"]
    assert min(row["full"] for row in told) > 0.9
    above = made.mesh.points[:, 2].max()
    assert above == pytest.approx(10)
    # each side has its own patch, with as much of it covered
    front, back = made.told["patches"]
    assert {front["name"], back["name"]} == {"plate", "plate_back"}
    assert front["area"] == back["area"] == pytest.approx(800)
    assert front["full"] == pytest.approx(back["full"], abs=0.02)
    assert size.sum() == pytest.approx(400 * 100)


def test_one_side_of_a_sheet_alone(tmp_path):
    row = {"patches": ["baffle"], "count": 3, "growth": 1.2, "total": 0.8}
    baffle = ("baffle", across(50, -10, 10, -10, 3))
    made = layered_mesh(
        step(("duct", duct()), baffle), tmp_path, [row], {"smallest": 1.5, "largest": 2.5}
    )
    all_sound(made)
    (told,) = made.told["patches"]
    assert told["name"] == "baffle" and told["full"] > 0.5
    cells = np.repeat(np.arange(made.mesh.cells), np.diff(made.mesh.cell_start))
    used = np.unique(made.mesh.cell_nodes[made.layer[cells] > 0])
    x = made.mesh.points[used][:, 0]
    # all of them on one side
    assert x.min() > 50 - 1e-9 or x.max() < 50 + 1e-9


def test_edges_of_many_triangles_are_told_apart_by_the_room_between_them():
    """Three half planes that meet in the z axis, both sides of each: three rooms."""
    angles = np.radians([10.0, 100.0, 250.0])
    points = [[0, 0, z] for z in range(3)]
    triangles = []
    for angle in angles:
        first = len(points)
        points += [[np.cos(angle), np.sin(angle), z] for z in range(3)]
        o = [first, first + 1, first + 2]
        strip = [[0, 1, o[0]], [1, o[1], o[0]], [1, 2, o[1]], [2, o[2], o[1]]]
        triangles += strip + [t[::-1] for t in strip]
    points, triangles = np.array(points, float), np.array(triangles, np.int32)
    mate = mates(points, triangles)
    # a triangle from 0 to 1 faces the way of growing angles: the room behind it is the one before,
    # on whose other side lies the back of the half plane before
    for k in range(3):
        up = 3 * (8 * k)
        down = 3 * (8 * ((k - 1) % 3) + 4) + 1
        assert triangles.ravel()[up] == 0 and triangles.ravel()[down] == 1
        assert mate[up] == down and mate[down] == up
    held, rows, origin = parted(points, triangles)
    # the middle of the axis and of each rim: three rooms there, and one way round here
    assert np.bincount(origin).tolist() == [1, 3, 1] + 9 * [1]
    assert np.array_equal(held, points[origin]) and np.array_equal(origin[rows], triangles)
    for k in range(3):
        assert rows[8 * k, 1] == rows[8 * ((k - 1) % 3) + 4, 1]
