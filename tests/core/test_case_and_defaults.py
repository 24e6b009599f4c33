"""The case in SI units, settings derived from the model, and the small pictures."""

import io

import numpy as np
import pytest
from PIL import Image

from intaglio.errors import SettingRejected
from intaglio.parts.picture import edge_segments, picture
from intaglio.settings.blanks import Blank, build, check_value
from intaglio.stages.domain.defaults import domain_defaults
from intaglio.stages.domain.settings import Domain
from intaglio.stages.patches.defaults import patches_defaults
from intaglio.stages.patches.ends import missing_ends
from intaglio.stages.patches.rows import check_patches
from intaglio.stages.registry import BY_KEY, STAGES, description
from intaglio.stages.sizing.settings import Sizing
from tests.core.test_boxtree import _octahedron_sphere


@pytest.mark.parametrize(
    "kinds, codes",
    [
        (["inlet", "outlet", "wall"], []),
        (["wall"], ["no-inlet", "no-outlet"]),
        (["inlet"], ["no-outlet"]),
        (["opening", "wall"], []),
        (["far_field", "wall"], []),
    ],
)
def test_patches_that_nothing_enters_or_leaves_through_are_told(kinds, codes):
    found = missing_ends(kinds)
    assert [f.code for f in found] == codes
    assert all(f.advice and f.level == "caution" for f in found)


def _geometry(space_volume):
    return {
        "unit": "mm",
        "volume": 100.0,
        "inside": [1.0, 2.0, 3.0],
        "low": [0.0, 0.0, 0.0],
        "high": [10.0, 5.0, 4.0],
        "size": [10.0, 5.0, 4.0],
        "faces": [],
        "bodies": [
            {"name": "duct", "solid": True},
            {"name": "vane", "solid": False, "sheet": True},
        ],
        "model": {"kind": "cad"},
        "spaces": [{"openings": ["opening_1"], "volume": space_volume, "pin": [0, 0, 0]}],
    }


def test_the_fluid_is_inside_only_if_there_is_room():
    settings, reasons = domain_defaults(_geometry(40.0))
    assert settings["where"] == "inside" and settings["closed"] == ["opening_1"]
    assert settings["sheets"] == ["vane"] and "no volume" in reasons["sheets"]
    settings, reasons = domain_defaults(_geometry(2.0))
    assert settings["where"] == "as-is" and settings["closed"] == []
    assert {"where", "closed", "pin", "along"} <= set(reasons) and settings["along"] == "+x"
    empty = {**_geometry(0), "spaces": []}
    assert domain_defaults(empty)[0]["where"] == "as-is"
    assert domain_defaults({**empty, "model": {"kind": "facets"}})[0]["where"] == "around"


ZONES = [{"name": "fluid", "kind": "fluid"}]


def _face(name, normal, centre, opening=False, area=1.0, end=True):
    return {
        "id": name,
        "name": "",
        "colour": "",
        "at": centre,
        "zones": [0],
        "role": "opening" if opening else "",
        "surface": "plane",
        "area": area,
        "centre": centre,
        "normal": normal,
        "at_end": end,
    }


def test_closing_faces_become_patches_the_largest_is_the_outlet():
    faces = [
        _face("opening_1", [1, 0, 0], [9, 0, 0], True, 5.0),
        _face("opening_2", [-1, 0, 0], [0, 0, 0], True, 2.0),
        _face("face_3", [0, 1, 0], [4, 1, 0]),
    ]
    rows = patches_defaults({"faces": faces, "zones": ZONES})[0]["patches"]
    assert [(r["name"], r["kind"]) for r in rows] == [
        ("opening_1", "outlet"),
        ("opening_2", "inlet"),
        ("wall", "wall"),
    ]


def test_a_fluid_part_gets_its_farthest_flat_ends():
    faces = [
        _face("a", [1, 0, 0], [9, 0, 0]),
        _face("b", [-1, 0, 0], [0, 0, 0]),
        _face("c", [0, 1, 0], [4, 2, 0]),
        _face("d", [0, -1, 0], [4, 0, 0]),
        _face("e", [-1, 0, 0], [-5, 0, 0], end=False),
    ]
    domain = {"faces": faces, "zones": ZONES}
    rows = patches_defaults(domain)[0]["patches"]
    assert [(r["kind"], r["faces"]) for r in rows] == [
        ("inlet", ["b @ 0 0 0"]),
        ("outlet", ["a @ 9 0 0"]),
        ("wall", "rest"),
    ]
    assert patches_defaults({**domain, "faces": []})[0]["patches"][0]["kind"] == "wall"


def test_names_and_colours_of_the_cad_file_become_patches():
    faces = [
        {**_face("a", [1, 0, 0], [9, 0, 0]), "name": "air inlet"},
        {**_face("b", [-1, 0, 0], [0, 0, 0]), "name": "water_out"},
        {**_face("c", [0, 1, 0], [4, 2, 0]), "colour": "#aa0000"},
        _face("d", [0, -1, 0], [4, 0, 0]),
    ]
    rows = patches_defaults({"faces": faces, "zones": ZONES})[0]["patches"]
    assert [(r["name"], r["kind"]) for r in rows] == [
        ("air_inlet", "inlet"), ("water_out", "outlet"), ("colour_1", "wall"), ("wall", "wall"),
    ]  # fmt: skip


def test_roles_of_the_domain_become_patches():
    roles = {"ahead": "far", "behind": "far", "left": "far", "right": "far", "symmetry": "symmetry"}
    faces = [
        {**_face(n, [1, 0, 0], [k, 0, 0]), "role": r} for k, (n, r) in enumerate(roles.items())
    ]
    faces += [{**_face("hull", [0, 0, 0], [5, 5, 5]), "role": ""}]
    faces += [{**_face("a_to_b_2", [0, 0, 0], [5, 5, 5]), "role": "interface", "zones": [0, 1]}]
    zones = [{"name": "a", "kind": "fluid"}, {"name": "b", "kind": "solid"}]
    rows = patches_defaults({"faces": faces, "zones": zones})[0]["patches"]
    assert [(r["name"], r["kind"], len(r["faces"])) for r in rows[:-1]] == [
        ("ahead", "inlet", 1), ("behind", "outlet", 1), ("far_field", "far_field", 2),
        ("symmetry", "symmetry", 1), ("a_to_b", "interface", 1), ("a_wall", "wall", 1),
    ]  # fmt: skip


def test_defaults_wait_for_the_reports_they_need():
    assert BY_KEY["domain"].defaults({}, {}) is None
    assert BY_KEY["sizing"].defaults({"geometry": {}}, {}) is None
    assert BY_KEY["geometry"].defaults({}, {})[0] == {"unit": "file", "angle": 40.0, "repairs": []}


def test_derived_settings_pass_their_own_checks():
    for where in ("inside", "around", "as-is"):
        made = build("domain", Domain, {"where": where, "closed": [], "pin": [0.0, 1, 2]})
        assert made.pin == [{"name": "fluid", "at": [0.0, 1.0, 2.0], "kind": "fluid"}]
    assert build("sizing", Sizing, {"smallest": 1, "largest": 1}).smallest == 1.0


NUMBER = Blank("number", "growth", "", above=1.0, most=2.0)


@pytest.mark.parametrize("value", [1.0, 2.1, True, None, [1.2], "1.2.3", float("inf")])
def test_values_out_of_range_or_of_no_kind(value):
    with pytest.raises(SettingRejected) as caught:
        check_value("sizing.growth", NUMBER, value, {})
    assert caught.value.blank == "sizing.growth"
    assert caught.value.message.startswith("growth")


def test_values_in_range():
    assert check_value("s.g", NUMBER, "1 + rate", {"rate": 0.25}) == 1.25
    whole = Blank("integer", "passes", "", least=0)
    assert check_value("v.p", whole, 8.0, {}) == 8
    with pytest.raises(SettingRejected):
        check_value("v.p", whole, 8.5, {})
    assert check_value("d.c", Blank("names", "c", ""), ["a", "a", "b"], {}) == ["a", "b"]


@pytest.mark.parametrize(
    "value",
    [
        3,
        [3],
        [{"name": "a"}],
        [{"name": 5, "kind": "wall"}],
        [{"name": "a", "kind": "lid"}],
        [{"name": "a", "kind": "wall", "faces": [1]}],
        [{"name": "a" * 300, "kind": "wall", "faces": []}],
    ],
)
def test_patches_of_no_form(value):
    with pytest.raises(SettingRejected):
        check_patches("patches.patches", "patches", value, {})


def test_an_unknown_setting_names_those_there_are():
    with pytest.raises(SettingRejected, match="smallest, largest"):
        build("sizing", Sizing, {"finest": 1.0})


def test_the_description_is_plain_data():
    import json

    told = json.loads(json.dumps(description()))
    assert [s["key"] for s in told] == [s.key for s in STAGES]
    order = [s["key"] for s in told]
    for stage in told:
        assert all(order.index(n) < order.index(stage["key"]) for n in stage["needs"])


def test_a_picture_shows_a_sphere_as_a_disc():
    points, triangles = _octahedron_sphere(4)
    none = np.zeros((0, 2, 3))
    image = Image.open(io.BytesIO(picture(points, triangles, none, none, 200, 100)))
    # as wide and high as the sphere, with a margin
    assert image.size == (100, 100)
    covered = (np.asarray(image)[..., 3] > 128).mean()
    # 0.96 of the height as diameter
    assert covered == pytest.approx(np.pi / 4 * 0.96**2, rel=0.05)
    lined = picture(points, triangles, none, edge_segments(points, triangles), 200, 100)
    dark = np.asarray(Image.open(io.BytesIO(lined)))[..., 0].mean()
    assert dark < np.asarray(image)[..., 0].mean()


@pytest.mark.parametrize("axis", range(3))
def test_the_picture_of_a_long_part_fills_a_wide_frame(axis):
    """A rod that lies fills the frame one way or the other; one that stands stays upright."""
    points, triangles = _octahedron_sphere(4)
    points = points.copy()
    points[:, axis] *= 8
    none = np.zeros((0, 2, 3))
    image = Image.open(io.BytesIO(picture(points, triangles, none, none, 400, 200)))
    wide, high = image.size
    assert max(wide / 400, high / 200) == pytest.approx(1.0, abs=0.01)
    assert wide < 100 if axis == 2 else wide > 200


def test_edges_once_each():
    points, triangles = _octahedron_sphere(1)
    assert len(edge_segments(points, triangles)) == 3 * len(triangles) / 2
