"""What rows of layers come to before they are grown."""

import math

import pytest

from intaglio.stages.case.defaults import case_defaults
from intaglio.stages.case.foretold import case_of
from intaglio.stages.layers.foretold import foretold, usual_flow

AREA = 1000.0
FACES = [
    {
        "id": name,
        "role": "opening" if area else "",
        "zones": [0],
        "area": area,
        "surface": "cylinder",
    }
    for name, area in (("in", AREA), ("out", AREA), ("skin", 0.0))
]
DOMAIN = {
    "unit": "mm",
    "zones": [{"name": "water", "kind": "fluid", "volume": 25_000.0}],
    "faces": FACES,
    "volume": 25_000.0,
    "area": 8000.0,
}
PATCHES = {
    "patches": [
        {"name": name, "kind": kind, "area": AREA, "faces": [face]}
        for name, kind, face in (
            ("feed", "inlet", "in"),
            ("drain", "outlet", "out"),
            ("wall", "wall", "skin"),
        )
    ]
}
GROWN = {"patches": [{"name": "wall_a", "count": 3, "total": 7.0, "edge": 2.0}]}


def case(speed, unit="mm", **fluid):
    domain = {**DOMAIN, "unit": unit}
    settings, _ = case_defaults(domain, PATCHES)
    settings["conditions"] = [
        {"patches": ["feed"], "is": "speed", "speed": speed}
        if speed
        else {"patches": ["feed"], "is": "total_pressure", "pressure": 5.0},
        {"patches": ["*"], "is": "pressure", "pressure": 0.0},
        {"patches": ["*"], "is": "no_slip"},
    ]
    if fluid:
        settings["materials"] = [{"zones": ["*"], "is": "own_fluid", **fluid}]
    return case_of(settings, domain, PATCHES)


def told(rows, divisions=(), unit="mm", reports=None, of=None):
    return foretold(rows, list(divisions), unit, of, reports or {})


@pytest.mark.parametrize("given", [{"first": 1.0}, {"total": 7.0}, {"last": 4.0}])
def test_heights_follow_from_the_first_from_all_or_from_the_last(given):
    (row,) = told([{"patches": ["*"], "count": 3, "growth": 2.0, **given}])["layers"]
    assert (row["first"], row["last"], row["total"]) == pytest.approx((1.0, 4.0, 7.0))
    assert row["ends"] == pytest.approx([0.0, 1 / 7, 3 / 7, 1.0])
    assert row["of_edge"] == ("last" in given) and row["flow"] is None


def test_the_first_core_cell_is_as_high_as_a_regular_tetrahedron_on_the_wall_s_edges():
    rows = [{"patches": [name], "count": 3, "growth": 2.0, "total": 7.0} for name in ("WALL*", "x")]
    surface = {"triangles": 4000}
    grown, other = told(rows, reports={"layers": GROWN, "surface": surface, "domain": DOMAIN})[
        "layers"
    ]
    assert grown["core"] == pytest.approx(math.sqrt(2 / 3) * 2.0 / 4.0)
    # equilateral triangles of 2 mm² each
    assert other["core"] == pytest.approx(math.sqrt(2 / 3) * math.sqrt(2 * 4 / math.sqrt(3)) / 4.0)
    assert told(rows)["layers"][0]["core"] is None


def test_the_usual_flow_is_that_of_the_case():
    """4V/A of 12.5 mm at 3 m/s of a fluid of 1e-6 m²/s: Blasius in closed form."""
    of = case(3.0, density=1000.0, viscosity=1e-3, heat_capacity=4000.0, conductivity=0.6)
    flow = told([], reports={"domain": DOMAIN}, of=of)["flow"]
    assert flow == {
        "speed": 3.0, "length": 12.5, "viscosity": 1e-6, "along": "pipe", "told": True,
        "yplus": pytest.approx(flow["yplus"]),
    }  # fmt: skip
    friction = 0.316 / (3.0 * 0.0125 / 1e-6) ** 0.25 / 4
    assert flow["yplus"] == pytest.approx(0.5e-3 * 3.0 * math.sqrt(friction / 2) / 1e-6)
    row = {"patches": ["*"], "count": 2, "growth": 1.0, "first": 1.0}
    shear = told([row], reports={"domain": DOMAIN}, of=of)["layers"][0]["flow"]
    assert shear["reynolds"] == pytest.approx(37_500) and shear["thickness"] == pytest.approx(6.25)
    assert shear["within"] == 2


def test_a_case_without_a_speed_gets_one_metre_per_second_and_says_so():
    flow = told([], reports={"domain": DOMAIN}, of=case(0.0))["flow"]
    assert (flow["speed"], flow["told"]) == (1.0, False)
    # water at 20 °C, as tables have it
    assert flow["viscosity"] == pytest.approx(1.004e-6, rel=5e-3)
    assert usual_flow(None, {"domain": DOMAIN}) is None and usual_flow(case(1.0), {}) is None


def test_around_a_body_the_flow_is_a_plate_s_as_long_as_the_body():
    faces = [{**face, "role": "far" if face["role"] else ""} for face in FACES]
    domain = {**DOMAIN, "faces": faces}
    of = usual_flow(case(2.0), {"domain": domain, "geometry": {"size": [10.0, 400.0, 20.0]}})
    assert of is not None and (of.along, of.speed) == ("plate", 2.0)
    assert of.length == pytest.approx(0.4)


def test_a_row_that_goes_by_yplus_is_told_as_the_worked_example():
    """White, Fluid Mechanics, example 7.4: 1.2 ft in seawater at 40 ft/s, in mm and in m."""
    foot = 0.3048
    row = {
        "patches": ["*"], "count": 3, "growth": 2.0, "yplus": 1.0, "speed": 40 * foot,
        "viscosity": 0.000011 * foot**2, "along": "plate",
    }  # fmt: skip
    for unit, one in (("mm", 1e-3), ("m", 1.0)):
        answer = told([{**row, "length": 1.2 * foot / one}], unit=unit)
        flow = answer["layers"][0]["flow"]
        assert flow["reynolds"] == pytest.approx(4.364e6, rel=1e-3)
        assert flow["thickness"] * one / foot == pytest.approx(0.0216, abs=5e-5)
        assert answer["layers"][0]["first"] * answer["asked"]["yplus"] == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("given", "fits", "growth"),
    [
        ({"growth": 2.0}, "well", 2.0),
        ({"first": 1.0}, "well", 2.0),
        ({"first": 7.0 / 3}, "well", 1.0),
        ({"first": 5.0}, "flat", 1.0),
        ({"first": 0.01}, "steep", 3.0),
    ],
)
def test_layers_divided_again_reach_the_top_of_those_there_are(given, fits, growth):
    row = {"patches": ["wall*"], "count": 3, **given}
    answer = told([], [row, {**row, "patches": ["other"]}], reports={"layers": GROWN})
    one, none = answer["divisions"]
    assert none is None and answer["count"] == 8
    assert one["fits"] == fits and one["growth"] == pytest.approx(growth, abs=1e-6)
    assert one["first"] * sum(one["growth"] ** k for k in range(3)) == pytest.approx(7.0)
    assert one["last"] == pytest.approx(one["first"] * one["growth"] ** 2)
    assert one["start"] == pytest.approx(0.78)
