"""Working back from a Reynolds number, names that are expected, first heights asked for."""

import numpy as np
import pytest

from intaglio.case.back import worked_back
from intaglio.case.checks import checks
from intaglio.case.friction import wall_flow
from intaglio.case.names import likeness, names_findings
from intaglio.case.room import room_findings
from intaglio.case.setup import metres
from intaglio.errors import SettingRejected
from intaglio.mesh.building import with_patches
from intaglio.mesh.mesh import Patch, face_middles
from tests.core import any_cells
from tests.core.test_case_setup import worked_out


@pytest.fixture(scope="module")
def block():
    """Walls all around, so that what enters is no stream in the open."""
    made = any_cells.hexahedra((4, 3, 3), any_cells.flat_sided)
    return any_cells.on_patches(made, any_cells.SIDES, (*any_cells.KINDS[:5], "wall"))


def with_left(**row):
    return [
        {"patches": ["left"], **row},
        {"patches": ["right"], "is": "pressure", "pressure": 0.0},
        {"patches": ["*"], "is": "no_slip"},
    ]


BROUGHT = {"temperature": 35.0, "intensity": 4.0, "eddies": 0.1}
ENTERING = [
    {"is": "speed", "speed": 2.0, **BROUGHT},
    {"is": "total_pressure", "pressure": 100.0, **BROUGHT},
    {"is": "speed", "speed": 2.0},
    {"is": "developed", "speed": 0.7},
    {"is": "velocity", "velocity": [2.0, 0.5, -0.25]},
    {"is": "flow_rate", "rate": 2.5e-6},
    {"is": "mass_flow", "rate": 1.25e-3},
    {"is": "total_pressure", "pressure": 100.0},
]


@pytest.mark.parametrize("row", ENTERING, ids=lambda r: f"{r['is']}-{len(r)}")
def test_a_speed_worked_back_gives_the_reynolds_number(block, row):
    case, own = worked_out(block, conditions=with_left(**row))
    left = next(p for p in case.patches if p.name == "left")
    change = worked_back(own, case, "left", 5000.0, left.diameter, "speed")
    again, _ = worked_out(block, **change)
    inflow = next(p for p in again.patches if p.name == "left").inflow
    assert inflow is not None and inflow.reynolds == pytest.approx(5000.0, rel=1e-12)
    # what it brings is said as before, lengths in the model's unit
    assert {k: change["conditions"][0].get(k) for k in BROUGHT} == {k: row.get(k) for k in BROUGHT}
    # what says how it enters stays, but for a pressure, by which no speed is given
    assert change["conditions"][0]["is"] == ("speed" if "pressure" in row else row["is"])
    assert [r["patches"] for r in change["conditions"]] == [["left"], ["right"], ["*"]]


def test_a_viscosity_worked_back_gives_it_too_and_keeps_the_rest(block):
    case, own = worked_out(block, conditions=with_left(**{"is": "speed", "speed": 2.0}))
    change = worked_back(own, case, "left", 150.0, 0.002, "viscosity")
    again, _ = worked_out(block, conditions=own["conditions"], **change)
    water, made = case.zones[0].properties, again.zones[0].properties
    assert made.density * 2.0 * 0.002 / made.viscosity == pytest.approx(150.0, rel=1e-12)
    assert (made.density, made.heat_capacity, made.conductivity) == (
        water.density, water.heat_capacity, water.conductivity,
    )  # fmt: skip
    # a worked example: 20 °C water, 2 m/s on 2 mm, has a Reynolds number of about 4000
    assert water.density * 2.0 * 0.002 / water.viscosity == pytest.approx(3990, rel=0.01)


def test_only_one_patch_of_a_row_is_changed(block):
    rows = [{"patches": ["left", "top"], "is": "speed", "speed": 1.0}, *with_left()[1:]]
    case, own = worked_out(block, conditions=rows)
    change = worked_back(own, case, "left", 100.0, 0.001, "speed")
    assert change["conditions"][1] == {"patches": ["top"], "is": "speed", "speed": 1.0}


@pytest.mark.parametrize(
    ("patch", "reynolds", "length"),
    [("right", 10, 1), ("nowhere", 10, 1), ("left", 0, 1), ("left", 10, -1), ("left", 1e400, 1)],
)
def test_what_cannot_be_worked_back_is_said(block, patch, reynolds, length):
    case, own = worked_out(block)
    with pytest.raises(SettingRejected):
        worked_back(own, case, patch, reynolds, length, "speed")


def test_no_viscosity_without_a_speed(block):
    case, own = worked_out(block, conditions=with_left(**ENTERING[-1]))
    with pytest.raises(SettingRejected, match="No speed is known"):
        worked_back(own, case, "left", 10.0, 1.0, "viscosity")


# names


PATCHES = [("in", "inlet"), ("out", "outlet"), ("shell", "wall")]


def proposals(patches, expected):
    out = {}
    for f in names_findings(patches, expected):
        for r in f.repairs:
            if r["operation"]["do"] == "rename" and len(r["operation"]["names"]) == 1:
                out |= r["operation"]["names"]
    return out


def test_names_that_are_there_and_no_list_find_nothing():
    assert names_findings(PATCHES, []) == []
    assert names_findings(PATCHES, ["shell", "out", "in"]) == []


@pytest.mark.parametrize(
    ("expected", "meant"),
    [
        (["Shell", "Inlet", "Outlet"], {"in": "Inlet", "out": "Outlet", "shell": "Shell"}),
        (["SHELL_1", "IN", "OUT"], {"in": "IN", "out": "OUT", "shell": "SHELL_1"}),
        # by their kinds, where the names say nothing of each other
        (["A_inlet", "B_outlet", "shell"], {"in": "A_inlet", "out": "B_outlet"}),
        (["mixedOut", "FEED_IN_1", "shell"], {"in": "FEED_IN_1", "out": "mixedOut"}),
    ],
)
def test_each_name_is_proposed_once(expected, meant):
    assert proposals(PATCHES, expected) == meant
    every = [r["operation"]["names"] for f in names_findings(PATCHES, expected) for r in f.repairs]
    assert meant in every


def test_numbers_in_names_are_kept_apart():
    tubes = [(f"tube_{k}", "wall") for k in range(1, 9)]
    assert proposals(tubes, [f"TUBE{k}" for k in range(8, 0, -1)]) == {
        f"tube_{k}": f"TUBE{k}" for k in range(1, 9)
    }


def test_names_that_no_patch_has_and_none_can_have():
    told = {f.code: f for f in names_findings(PATCHES, ["in", "out", "shell", "roof", "2-fold"])}
    assert "roof" in told["name-missing"].message and "2-fold" in told["name-unfit"].message
    assert "name-unexpected" not in told


def test_a_name_that_is_hardly_like_one_is_not_proposed():
    assert proposals([("hull", "wall"), ("fin", "wall")], ["fin", "lower_deck"]) == {}


def test_a_list_of_another_case_is_told_as_one():
    (told,) = names_findings([("hull", "wall"), ("deck", "wall")], ["x1", "x2", "q"])
    assert told.code == "list-unlike" and told.repairs[0]["operation"]["settings"] == {
        "expected": []
    }


def test_the_case_tells_of_unexpected_names(block):
    case, own = worked_out(block, expected=["left", "right", "front", "back", "bottom", "Top"])
    told = [f for f in checks(case, own, {}, {}) if f.code == "name-unexpected"]
    assert [f.repairs[0]["operation"]["names"] for f in told] == [{"top": "Top"}]


def test_a_list_without_end_is_refused(block):
    for many in ([f"n{k}" for k in range(1001)], ["x" * 201]):
        with pytest.raises(SettingRejected, match="at most 1,000 names"):
            worked_out(block, expected=many)


def test_likeness_is_that_of_the_longest_runs():
    """Twice the letters in common runs over all letters."""
    assert likeness("inlet", "wall", "In_Let") == 1.0
    assert likeness("abcd", "wall", "bcde") == pytest.approx(2 * 3 / 8)
    assert likeness("abc", "wall", "xyz") == 0.0
    # one word of two, and one of three in all
    assert likeness("air_hood", "inlet", "hoodAir") == pytest.approx(0.9)


# first heights


def test_the_first_height_that_is_offered_stands_at_the_wanted_y_plus(block):
    rows = with_left()[1:]
    rows = [{"patches": ["left"], "is": "speed", "speed": 2.0}, *rows]
    case, own = worked_out(block, conditions=rows, closure="k_epsilon")
    near, widths = {"front": 1e-4, "back": 1e-5}, {"fluid": 0.001}
    (told,) = [f for f in checks(case, own, near, widths) if f.code == "first-height"]
    (offered,) = told.repairs[0]["operation"]["rows"]
    assert offered["patches"] == ["back", "front"]
    water = case.zones[0].properties
    shear = wall_flow(1.0, 2.0, 0.001, water.viscosity / water.density, "pipe").shear_speed
    middle = 0.5 * offered["first"] * metres(block.unit)
    assert middle * shear * water.density / water.viscosity == pytest.approx(50.0, rel=0.05)


# the room around a body in a stream


def in_a_stream(ahead, behind, size=1.0):
    """A cube in a box of hexahedra: the cells of the cube left out."""
    at = np.array([-ahead, 0.0, size, size + behind])
    across = np.array([-3.0, 0.0, size, size + 3.0])
    axes = [at, across, across]
    number = np.arange(64).reshape(4, 4, 4)
    points = np.stack(np.meshgrid(*axes, indexing="ij"), -1).reshape(-1, 3)
    corners = [number[i : i + 3, j : j + 3, k : k + 3].ravel()
               for k in (0, 1) for i, j in ((0, 0), (1, 0), (1, 1), (0, 1))]  # fmt: skip
    cells = np.delete(np.stack(corners, 1), 13, axis=0).astype(np.int32)
    mesh = any_cells.of_hexahedra(points, cells)
    middle = face_middles(mesh, np.arange(mesh.faces))
    rim = mesh.neighbour < 0
    inside = (np.abs(middle - size / 2) <= size / 2 + 1e-9).all(axis=1)
    patch = np.where(rim, 2, -1)
    patch[rim & (middle[:, 0] == at[0])], patch[rim & (middle[:, 0] == at[3])] = 0, 1
    patch[rim & inside] = 3
    named = (("ahead", "inlet"), ("behind", "outlet"), ("sides", "far_field"), ("cube", "wall"))
    return with_patches(mesh, patch.astype(np.int32), tuple(Patch(*n) for n in named))


@pytest.mark.parametrize(
    ("ahead", "behind", "told"),
    [
        (6.0, 16.0, {}),
        (4.0, 16.0, {"short-ahead": ("note", 4.0)}),
        (1.0, 4.0, {"short-ahead": ("caution", 1.0), "short-behind": ("caution", 4.0)}),
    ],
)
def test_a_body_near_the_ends_of_its_domain_is_remarked(ahead, behind, told):
    mesh = in_a_stream(ahead, behind)
    rows = [
        {"patches": ["ahead"], "is": "speed", "speed": 1.0},
        {"patches": ["behind"], "is": "pressure", "pressure": 0.0},
        {"patches": ["sides"], "is": "stream", "velocity": [1, 0, 0], "pressure": 0.0},
        {"patches": ["*"], "is": "no_slip"},
    ]
    case, _ = worked_out(mesh, conditions=rows)
    found = {f.code: (f.level, pytest.approx(f.size)) for f in room_findings(mesh, case)}
    assert found == told


def test_a_floor_that_runs_through_is_no_body_in_the_stream(block):
    rows = [
        {"patches": ["left"], "is": "speed", "speed": 1.0},
        {"patches": ["right"], "is": "pressure", "pressure": 0.0},
        {"patches": ["top"], "is": "stream", "velocity": [1, 0, 0], "pressure": 0.0},
        {"patches": ["*"], "is": "no_slip"},
    ]
    case, _ = worked_out(block, conditions=rows)
    assert room_findings(block, case) == []
