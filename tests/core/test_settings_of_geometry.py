"""Settings of Geometry and Domain: pins, faces, sentences, recipes that hold only what matters."""

import jsonschema
import pytest
import yaml

from intaglio.errors import SettingRejected
from intaglio.mesh.mesh import PATCH_KINDS
from intaglio.parts.places import FACES
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe, write_recipe
from intaglio.recipe.schema import recipe_schema
from intaglio.settings.blanks import Blank, build, check_value
from intaglio.stages.domain.pins import check_pins
from intaglio.stages.domain.settings import Domain
from intaglio.stages.geometry.settings import Geometry
from intaglio.stages.patches.defaults import kind_by_name
from intaglio.stages.registry import BY_KEY, description
from tests.core.shapes import box, pipe, source


@pytest.mark.parametrize(
    "value, words",
    [
        ([], "at least 1 row"),
        ("here", "list of rows"),
        ([1, 2], "three coordinates"),
        ([1, 2, "deep"], "not defined"),
        ([{"name": "a"}], "no at: it needs the point"),
        ([{"name": "a b", "at": [0, 0, 0]}], "cannot name a zone"),
        ([{"name": "a", "at": [0, 0, 0], "kind": "wet"}], "one of fluid, dry"),
        (
            [{"name": "a", "at": [0, 0, 0]}, {"name": "a", "at": [1, 0, 0]}],
            "“a” stands in two rows",
        ),
    ],
)
def test_wrong_pins(value, words):
    with pytest.raises(SettingRejected) as caught:
        check_pins("domain.pin", "pin", value, {})
    assert words in caught.value.message


def test_pins_take_expressions_and_are_completed():
    pins = check_pins("p", "pin", [{"name": "a", "at": ["2 * r", 0, "-r"]}], {"r": 3.0})
    assert pins == [{"name": "a", "at": [6.0, 0.0, -3.0], "kind": "fluid"}]


@pytest.mark.parametrize(
    "settings, words",
    [
        ({"where": "beside"}, "one of inside, around, as-is"),
        ({"ahead": 0}, "greater than 0"),
        ({"ahead": 1e9}, "at most"),
        ({"sectors": 1}, "at least 2"),
        ({"sectors": 2.5}, "whole number"),
        ({"thickness": -1}, "greater than 0"),
        ({"along": "x"}, "one of"),
        ({"through": [0, 0]}, "three coordinates"),
        ({"symmetry_at": "middle"}, "not defined"),
        ({"width": 3}, "no setting"),
    ],
)
def test_wrong_settings_of_the_domain_name_their_blank(settings, words):
    with pytest.raises(SettingRejected) as caught:
        build("domain", Domain, settings)
    assert words in caught.value.message
    assert caught.value.blank == f"domain.{next(iter(settings))}"


@pytest.mark.parametrize("unit", ["mm", "in", "file"])
def test_units(unit):
    assert build("geometry", Geometry, {"unit": unit}).unit == unit
    with pytest.raises(SettingRejected):
        build("geometry", Geometry, {"unit": "parsec"})


def test_faces_need_a_list_of_references():
    described = Blank("faces", "faces", "", rows=FACES)
    assert check_value("x", described, ["a", "a", "b @ 1 2 3"], {}) == ["a", "b @ 1 2 3"]
    for wrong in ("a", [1], ["a @ 1 2"], ["a @ 1 2 x"]):
        with pytest.raises(SettingRejected):
            check_value("x", described, wrong, {})


def _shown(stage: str, settings: dict) -> str:
    return " ".join(s.text for s in BY_KEY[stage].sentences if s.shown(settings))


def test_the_brief_shows_only_what_has_an_effect():
    inside = _shown("domain", {"where": "inside", "cut": "all"})
    assert "{pin}" in inside and "{ahead}" not in inside and "{sectors}" not in inside
    around = _shown(
        "domain", {"where": "around", "shape": "box", "symmetry": "none", "cut": "sector"}
    )
    assert "{below}" in around and "{pin}" not in around and "{symmetry_at}" not in around
    assert "{sectors}" in around and "{thickness}" not in around
    sphere = _shown("domain", {"where": "around", "shape": "sphere", "symmetry": "y"})
    assert "{ahead}" not in sphere and "{aside}" in sphere and "{symmetry_at}" in sphere


def test_stages_are_described_with_their_conditions():
    told = {s["key"]: s for s in description()}
    only = [s["only"] for s in told["domain"]["sentences"]]
    assert {} in only and {"cut": ["section"]} in only and {"open": ["yes"]} in only
    assert {"kind": ["facets"]} in [s["only"] for s in told["geometry"]["sentences"]]
    assert told["geometry"]["blanks"][2]["type"] == "operations"


@pytest.mark.parametrize("where", ["inside", "around", "as-is"])
def test_a_written_recipe_runs_to_the_same_products(where, tmp_path):
    part = source(pipe() if where == "inside" else box(0, 0, 0, 4, 3, 2), tmp_path, "thing")
    given = {"domain": {"where": where}} if where != "inside" else {}
    store = MemoryStore()
    states = run_to("patches", part, "thing", given, store)
    path = tmp_path / "thing.yaml"
    settings = {s.stage: s.settings for s in states if s.settings}
    reasons = {s.stage: s.reasons for s in states}
    write_recipe(path, "thing.step", "thing", settings, reasons, "mm")
    text = path.read_text()
    assert ("ahead" in text) == (where == "around") and "sectors" not in text
    jsonschema.validate(yaml.safe_load(text), recipe_schema())
    recipe = read_recipe(path)
    again = run_to("patches", part, "thing", plain_settings(recipe), store)
    assert [s.key for s in again] == [s.key for s in states]


def test_a_recipe_may_name_several_files(tmp_path):
    path = tmp_path / "r.yaml"
    path.write_text("recipe: 1\npart: [a.step, sub/b.stl]\n")
    recipe = read_recipe(path)
    assert recipe.parts == (tmp_path / "a.step", tmp_path / "sub/b.stl")
    assert recipe.name == "a"
    jsonschema.validate(yaml.safe_load(path.read_text()), recipe_schema())


@pytest.mark.parametrize(
    "recipe, fits",
    [
        ({"geometry": {"repairs": [{"do": "sew", "tolerance": 0.1}]}}, True),
        ({"geometry": {"repairs": [{"do": "sew", "width": 0.1}]}}, False),
        ({"geometry": {"repairs": [{"do": "dance"}]}}, False),
        ({"domain": {"pin": [1, 2, 3]}}, True),
        ({"domain": {"pin": [{"name": "a", "at": [1, 2, 3], "kind": "dry"}]}}, True),
        ({"domain": {"pin": [{"name": "a"}]}}, False),
        ({"domain": {"shape": "pyramid"}}, False),
    ],
)
def test_the_schema_tells_right_from_wrong(recipe, fits):
    whole = {"recipe": 1, "part": "a.step", **recipe}
    if fits:
        jsonschema.validate(whole, recipe_schema())
    else:
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(whole, recipe_schema())


@pytest.mark.parametrize(
    "name, kind",
    [
        ("air inlet", "inlet"),
        ("water_in", "inlet"),
        ("inner_wall", "wall"),
        ("main_outlet", "outlet"),
        ("gas_out", "outlet"),
        ("symmetry plane", "symmetry"),
        ("far field", "far_field"),
        ("periodic_2", "periodic"),
        ("hull", "wall"),
    ],
)
def test_kinds_by_name(name, kind):
    assert kind_by_name(name) == kind and kind in PATCH_KINDS
