"""Fluid inside, around, in sections, sectors and zones: volumes against closed forms."""

import numpy as np
import pytest
import trimesh
from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cad.write import step_bytes
from intaglio.errors import SettingRejected, StepFailed
from intaglio.formats.stl import stl_bytes
from intaglio.parts.kinds import cad
from intaglio.parts.source import Source
from intaglio.recipe.plan import run_to
from tests.core.scans import holed, sphere
from tests.core.shapes import box, cut, cylinder, pipe, steady, uncounted
from tests.made import SharedStore

BALL = 4 / 3 * np.pi * 125.0


def _cad(*shapes, names=()):
    return Source("part.step", steady(step_bytes(Part(compound(list(shapes)), "mm", names))))


def _stl(part):
    return Source("part.stl", stl_bytes(part.points, part.triangles, "part"))


def _ball():
    return _cad(BRepPrimAPI_MakeSphere(5.0).Shape())


def _facet_ball(fine=5):
    return _stl(sphere(5.0, fine))


def _run(source, domain, target="patches", geometry=None, sizes=None):
    given = {"domain": domain, "geometry": {"unit": "mm", **(geometry or {})}}
    given["sizing"] = sizes or {}
    with uncounted() as store:
        states = run_to(target, source, "part", given, store)
    return {s.stage: s.report for s in states}


ENCLOSURES = {
    "box": 160.0 * 110.0 * 110.0,
    "cylinder": np.pi * (5 * np.sqrt(2) + 50) ** 2 * 160.0,
    "sphere": 4 / 3 * np.pi * (np.sqrt(75) + 50) ** 3,
    "frustum": np.pi * 160.0 * (5 * np.sqrt(2) + 50) ** 2 * (1 + 1.5 + 2.25) / 3,
}


@pytest.mark.parametrize("shape", ENCLOSURES)
@pytest.mark.parametrize("symmetry", ["none", "y"])
def test_around_a_ball(shape, symmetry):
    domain = {"where": "around", "shape": shape, "symmetry": symmetry, "symmetry_at": 0}
    share = 1.0 if symmetry == "none" else 0.5
    reports = _run(_ball(), domain)
    exact = share * (ENCLOSURES[shape] - BALL)
    assert reports["domain"]["volume"] == pytest.approx(exact, rel=1e-6)
    facets = _run(_facet_ball(), domain)
    assert facets["domain"]["volume"] == pytest.approx(exact, rel=2e-3)
    for report in (reports, facets):
        roles = {f["role"] for f in report["domain"]["faces"]}
        assert roles == {"far", ""} | ({"symmetry"} if symmetry == "y" else set())
        # every face is on a patch
        assert not [f for f in report["patches"]["findings"] if f["level"] == "error"]


@pytest.mark.parametrize("name", ["left", "front", "periodic_x", "symmetry"])
def test_what_a_part_is_called_gives_it_no_role(name):
    ball = sphere(5.0, 3)
    source = Source(f"{name}.stl", stl_bytes(ball.points, ball.triangles, name))
    sector = {"cut": "sector", "axis": "x", "through": [0, 0, 0], "sectors": 4}
    for domain in ({"where": "around"}, {"where": "around", **sector}):
        reports = _run(source, domain)
        faces = [f for f in reports["domain"]["faces"] if f["id"].startswith(name)]
        (own,) = [f for f in faces if f["surface"] != "plane" and abs(f["centre"][0]) < 5]
        assert own["role"] == ""
        (patch,) = [p for p in reports["patches"]["patches"] if own["id"] in p["faces"]]
        assert patch["kind"] == "wall"


@pytest.mark.parametrize("along, low_x", [("+x", -55.0), ("-x", -105.0)])
def test_distances_follow_the_flow(along, low_x):
    report = _run(_ball(), {"where": "around", "along": along}, "domain")["domain"]
    assert report["low"][0] == pytest.approx(low_x, abs=1e-6)
    ahead = next(f for f in report["faces"] if f["id"] == "ahead")
    assert ahead["centre"][0] == pytest.approx(-55.0 if along == "+x" else 55.0)


def test_an_enclosure_too_short_is_told():
    report = _run(_ball(), {"where": "around", "ahead": 1, "behind": 2, "aside": 0.5}, "domain")
    codes = [f["code"] for f in report["domain"]["findings"]]
    assert codes.count("enclosure-short") == 3 and "blocked" in codes
    assert _run(_ball(), {"where": "around"}, "domain")["domain"]["findings"] == []


@pytest.mark.parametrize("source", [_ball, _facet_ball])
def test_a_flat_section(source):
    domain = {
        "where": "around", "cut": "section", "axis": "z", "section_at": 3.0, "thickness": 2.0
    }  # fmt: skip
    report = _run(source(), domain)["domain"]
    assert report["volume"] == pytest.approx(2.0 * (160 * 110 - np.pi * 16), rel=1e-4)
    ids = {f["id"] for f in report["faces"]}
    assert {"front", "back", "ahead", "behind", "left", "right"} <= ids and len(ids) == 7
    with pytest.raises(StepFailed) as caught:
        _run(source(), {**domain, "section_at": 300.0})
    assert caught.value.code == "no-section" and "-55" in caught.value.message


@pytest.mark.parametrize("facets", [False, True])
def test_a_section_in_two_pieces_is_one_zone(facets):
    legs = cut(box(0, 0, 0, 9, 2, 6), box(3, -1, 2, 6, 3, 7))
    source = _stl(cad().facets(Part(legs, "mm"), 1e-3)) if facets else _cad(legs)
    domain = {"where": "as-is", "cut": "section", "axis": "z", "section_at": 4, "thickness": 1.0}
    reports = _run(source, domain, "volume", sizes={"smallest": 0.5, "largest": 1.0})
    assert reports["domain"]["zones"] == [
        {"name": "fluid", "kind": "fluid", "volume": pytest.approx(12)}
    ]
    zones = reports["volume"]["zones"]
    assert list(zones) == ["fluid"] and zones["fluid"]["volume"] == pytest.approx(12)
    # both legs, each 3 by 2 and 3 apart
    assert reports["domain"]["size"] == pytest.approx([9, 2, 1])
    ids = {f["id"] for f in reports["domain"]["faces"]}
    assert {"front", "back"} <= ids


@pytest.mark.parametrize("source", [_ball, _facet_ball])
def test_a_sector_has_a_periodic_pair_that_matches(source):
    domain = {"where": "as-is", "cut": "sector", "sectors": 5, "start": 10.0}
    report = _run(source(), domain)["domain"]
    assert report["volume"] == pytest.approx(BALL / 5, rel=3e-3)
    sides = [f for f in report["faces"] if f["role"] == "periodic"]
    assert [f["id"] for f in sides] == ["periodic_1", "periodic_2"]
    assert sides[0]["area"] == pytest.approx(sides[1]["area"], rel=1e-4)
    assert sides[0]["area"] == pytest.approx(np.pi * 12.5, rel=2e-3)
    assert report["findings"] == []


def test_a_sector_that_does_not_repeat_is_told():
    report = _run(_cad(box(-5, -3, 0, 5, 3, 2)), {"where": "as-is", "cut": "sector", "sectors": 3})
    assert [f["code"] for f in report["domain"]["findings"]] == ["periodic-mismatch"]


def _walled_pipe():
    part = cad().facets(Part(pipe(), "mm"), 5e-4)
    return _stl(part)


def test_inside_facets_as_inside_cad():
    cad, scan = (_run(s, {}) for s in (_cad(pipe()), _walled_pipe()))
    for report in (cad, scan):
        assert [round(o["diameter"], 1) for o in report["geometry"]["openings"]] == [14.0, 14.0]
        kinds = sorted(p["kind"] for p in report["patches"]["patches"])
        assert kinds == ["inlet", "outlet", "wall"]
    assert cad["domain"]["volume"] == pytest.approx(np.pi * 49 * 60, rel=1e-9)
    assert scan["domain"]["volume"] == pytest.approx(np.pi * 49 * 60, rel=3e-3)


def test_a_sheet_with_open_ends_is_capped():
    tube = trimesh.creation.cylinder(3.0, 20.0, sections=64)
    keep = np.abs(tube.triangles_center[:, 2]) < 9.99
    tube.update_faces(keep)
    source = Source("tube.stl", tube.export(file_type="stl"))
    report = _run(source, {"where": "inside"}, "geometry")["geometry"]
    assert len(report["openings"]) == 2 and report["spaces"][0]["openings"] == [
        "opening_1", "opening_2",
    ]  # fmt: skip
    domain = {"where": "inside", "closed": ["opening_1", "opening_2"], "pin": [0, 0, 0]}
    report = _run(source, domain)
    exact = 0.5 * 64 * 9 * np.sin(2 * np.pi / 64) * 20  # a prism on a polygon of 64 corners
    assert report["domain"]["volume"] == pytest.approx(exact, rel=1e-5)


@pytest.mark.parametrize("make", [lambda: _cad(pipe()), _walled_pipe])
@pytest.mark.parametrize(
    "domain, code",
    [
        ({"pin": [30, 0, 8.5]}, "pin-in-solid"),
        ({"pin": [500, 0, 0]}, "pin-outside"),
        ({"pin": [30, 0, 0], "closed": ["opening_1"]}, "not-closed"),
    ],
)
def test_a_wrong_pin_or_an_open_end_is_told(make, domain, code):
    with pytest.raises(StepFailed) as caught:
        _run(make(), {"where": "inside", "closed": ["opening_1", "opening_2"], **domain})
    assert caught.value.code == code and caught.value.places


def test_a_leak_to_a_dry_pin_is_told():
    pins = [
        {"name": "fluid", "at": [30, 0, 0]},
        {"name": "engine", "at": [40, 0, 0], "kind": "dry"},
    ]
    domain = {"where": "inside", "closed": ["opening_1", "opening_2"], "pin": pins}
    with pytest.raises(StepFailed) as caught:
        _run(_cad(pipe()), domain)
    assert caught.value.code == "leak" and "engine" in caught.value.message
    pins[1]["at"] = [30, 0, 30]
    assert _run(_cad(pipe()), domain)["domain"]["volume"] > 0


def _double():
    """A block with two bores, and a rod in a third."""
    block = box(0, 0, 0, 30, 20, 10)
    for y in (5, 10, 15):
        block = cut(block, cylinder((-1, y, 5), (1, 0, 0), 2.0, 40))
    return _cad(block, cylinder((0, 15, 5), (1, 0, 0), 2.0, 30), names=("block", "rod"))


def test_several_zones_share_their_faces():
    report = _run(_double(), {}, "geometry")["geometry"]
    names = [o["name"] for o in report["openings"]]
    pins = [{"name": "hot", "at": [15, 5, 5]}, {"name": "cold", "at": [15, 10, 5]}]
    domain = {"where": "inside", "closed": names, "pin": pins, "solids": ["*"]}
    report = _run(_double(), domain)["domain"]
    bore = np.pi * 4 * 30
    volumes = {z["name"]: (z["kind"], z["volume"]) for z in report["zones"]}
    assert volumes["hot"] == ("fluid", pytest.approx(bore, rel=1e-9))
    assert volumes["cold"] == ("fluid", pytest.approx(bore, rel=1e-9))
    assert volumes["rod"] == ("solid", pytest.approx(bore, rel=1e-9))
    assert volumes["block"] == ("solid", pytest.approx(6000 - 3 * bore, rel=1e-9))
    shared = [f for f in report["faces"] if len(f["zones"]) == 2]
    # one round face for each bore
    assert sum(f["area"] for f in shared) == pytest.approx(3 * 4 * np.pi * 30, rel=1e-9)
    assert {f["role"] for f in shared} == {"interface"}


def test_pins_that_clash():
    report = _run(_double(), {}, "geometry")["geometry"]
    names = [o["name"] for o in report["openings"]]
    twice = [{"name": "a", "at": [15, 5, 5]}, {"name": "b", "at": [10, 5, 5]}]
    with pytest.raises(StepFailed) as caught:
        _run(_double(), {"where": "inside", "closed": names, "pin": twice})
    assert caught.value.code == "same-space"
    with pytest.raises(SettingRejected):
        _run(_double(), {"where": "inside", "solids": ["nobody"], "closed": names})
    with pytest.raises(SettingRejected):
        _run(_double(), {"where": "inside", "closed": ["opening_99"]})


def test_open_facets_bound_no_fluid():
    source = _stl(holed(sphere(5.0), (0, 0, 5), 2.0))
    with pytest.raises(StepFailed) as caught:
        _run(source, {"where": "as-is"})
    assert caught.value.code == "open-surface" and caught.value.places
    with pytest.raises(StepFailed) as caught:
        _run(source, {"where": "around"})
    assert caught.value.code == "not-closed"


def test_facets_are_meshed_to_the_end():
    source = _stl(sphere(5.0, 4))
    given = {
        "geometry": {"unit": "mm"},
        "domain": {"where": "as-is"},
        "sizing": {"smallest": 0.8, "largest": 1.2},
    }
    states = run_to("case", source, "ball", given, SharedStore())
    reports = {s.stage: s.report for s in states}
    assert reports["case"]["valid"]
    assert reports["volume"]["volume"] == pytest.approx(BALL, rel=0.03)
