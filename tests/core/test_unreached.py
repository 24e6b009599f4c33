"""Bodies that no ball touches are dropped: of facets by their pieces, of CAD by its bodies."""

import json

import numpy as np
import pytest
import trimesh

from intaglio.cad.measures import bounds
from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.cli import main
from intaglio.errors import StepFailed
from intaglio.facets.part import FacetPart
from intaglio.parts.reaching import rooms_in, without_unreached
from intaglio.stages.geometry.step import worked
from tests.core.shapes import box, cut

HOLE = 0.2
CLUTTER = 12


def _body(mesh: trimesh.Trimesh, name: str) -> FacetPart:
    zero = np.zeros(len(mesh.faces), np.int32)
    return FacetPart(
        np.array(mesh.vertices), mesh.faces.astype(np.int32), zero, zero, ("skin",), (name,), "m"
    )


def _cluttered(seed: int = 5) -> tuple[FacetPart, list[np.ndarray]]:
    """A box of a side, its walls 0.05 thick, with a round hole 0.2 across in its top, a dozen small
    balls within it and two outside; and the middles of the balls."""
    outer = trimesh.creation.box((1, 1, 1))
    inner = trimesh.creation.box((0.9, 0.9, 0.9))
    bore = trimesh.creation.cylinder(HOLE / 2, 0.3, sections=64).apply_translation([0, 0, 0.5])
    shell = trimesh.boolean.difference([outer, inner, bore], engine="manifold")
    rng = np.random.default_rng(seed)
    grid = np.array([[i, j, k] for i in (-1, 0, 1) for j in (-1, 1) for k in (-1, 1)]) * 0.3
    spots = grid + rng.uniform(-0.04, 0.04, grid.shape)
    middles = [*spots, np.array([0.9, 0, 0]), np.array([0, -0.9, 0.2])]
    balls = [trimesh.creation.icosphere(1, 0.05).apply_translation(at) for at in middles]
    return _body(trimesh.util.concatenate([shell, *balls]), "scan"), middles


def test_what_lies_behind_a_narrow_hole_goes_and_the_inner_skin_stays_touched():
    part, middles = _cluttered()
    out, told = without_unreached(part, 0.3, None, [])
    left = trimesh.Trimesh(out.points, out.triangles, process=False).split(only_watertight=False)
    # the shell with its hole is one piece
    assert len(left) == 3
    gone = [row for row in told if row["done"].startswith("dropped")]
    assert len(gone) == CLUTTER
    places = np.array([[float(x) for x in row["title"].split("@")[1].split()] for row in gone])
    apart = np.linalg.norm(places[:, None] - np.array(middles)[:CLUTTER], axis=2).min(axis=0)
    assert apart.max() < 0.01
    # how wide a ball touches them is how wide the hole is, to the 5 % that widths are told to
    sizes = [float(row["done"].split("a ball ")[1].split()[0]) for row in gone]
    assert sizes == pytest.approx([HOLE] * CLUTTER, rel=0.06)


def test_where_the_ball_passes_all_stay_and_are_told_to_be_judged():
    part, _ = _cluttered()
    out, told = without_unreached(part, 0.12, None, [])
    assert out is part
    assert sum(row["done"].startswith("kept:") for row in told) == CLUTTER


def test_of_cad_bodies_go():
    """A closed hollow box with a block in it, and one beside it."""
    hollow = cut(box(0, 0, 0, 10, 10, 10), box(1, 1, 1, 9, 9, 9))
    part = Part(
        compound([hollow, box(4, 4, 4, 6, 6, 6), box(12, 0, 0, 14, 2, 2)]),
        "mm",
        ("hollow", "block", "block"),
    )
    out, told = without_unreached(part, 1.0, None, [])
    assert [out.body_name(k) for k in range(len(out.bodies))] == ["hollow", "block"]
    # of two bodies of one name the one that nothing reaches
    assert bounds(out.bodies[1])[0] == pytest.approx([12, 0, 0], abs=1e-5)
    assert [(row["title"], row["done"]) for row in told] == [
        ("block", "dropped: no ball over 0.5 mm touches it")
    ]


def test_as_a_step_of_a_recipe_it_tells_what_went():
    part, _ = _cluttered()
    row = {"do": "drop_unreached", "on": True, "wide": 0.3, "start": "outside", "at": [0, 0, 0]}
    _, (log,) = worked(part, [{**row, "keep": []}], lambda share, doing: None)
    assert log["done"] == f"dropped: {CLUTTER}" and len(log["actions"]) == CLUTTER
    _, (log,) = worked(part, [{**row, "wide": 1e-6, "keep": []}], lambda share, doing: None)
    assert "too small" in log["problem"]


def test_a_body_is_kept_by_its_name_and_place():
    part, _ = _cluttered()
    _, told = without_unreached(part, 0.3, None, [])
    named = next(row["title"] for row in told if row["done"].startswith("dropped"))
    out, again = without_unreached(part, 0.3, None, [named])
    assert [row["title"] for row in again if row["done"].startswith("kept by name")] == [named]
    assert len(trimesh.Trimesh(out.points, out.triangles, process=False).split()) == 4
    # what names no place, or none that is there, keeps nothing
    _, same = without_unreached(
        part, 0.3, None, ["scan @ here", "scan @ 1 2", "scan @ 9 9 9", "lid"]
    )
    assert same == told


def test_from_a_place_in_the_fluid_what_lies_outside_goes():
    part, _ = _cluttered()
    _, told = without_unreached(part, 0.3, np.array([[0.0, 0.0, 0.0]]), [])
    gone = [row["title"] for row in told if row["done"].startswith("dropped")]
    assert len(gone) == 2


@pytest.mark.parametrize(
    ("wide", "pin", "code"),
    [
        (1e-5, None, "too-narrow"),
        (0.4, [[0.475, 0.0, 0.0]], "nothing-reached"),
    ],
)
def test_what_cannot_be_followed_is_refused(wide, pin, code):
    part, _ = _cluttered()
    with pytest.raises(StepFailed) as refused:
        rooms_in(part, wide, None if pin is None else np.array(pin))
    assert refused.value.code == code


def test_the_command_tells_passages_and_bodies(tmp_path, capsys):
    part, _ = _cluttered()
    file = tmp_path / "scan.stl"
    file.write_bytes(trimesh.Trimesh(part.points, part.triangles).export(file_type="stl"))
    assert main(["rooms", str(file), "--unit", "m", "--wide", "0.1", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    widest = told["rooms"][0]
    assert widest["width"] == pytest.approx(HOLE, rel=0.06)
    assert widest["at"][2] == pytest.approx(0.475, abs=0.03)
    assert main(["rooms", str(file), "--wide", "0"]) == 2
    assert main(["rooms", str(file), "--wide", "inf"]) == 2
    assert main(["rooms", str(file), "--wide", "1", "--at", "here"]) == 2
