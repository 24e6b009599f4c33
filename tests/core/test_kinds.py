"""CAD and facets answer alike: the same shape asked both ways, and closed forms."""

import ast
from pathlib import Path

import numpy as np
import pytest

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.errors import StepFailed
from intaglio.facets.part import kept
from intaglio.parts.kinds import FACETS, cad, kind_named, kind_of
from intaglio.parts.measure import measure
from intaglio.parts.model import face_links, face_rows
from tests.core.shapes import box, cylinder

ROOT = Path(__file__).resolve().parents[2]


def _brick() -> Part:
    return Part(compound([box(1, 2, 3, 5, 4, 13)]), "mm", ("brick",))


def _both():
    part = _brick()
    return part, cad().facets(part, 1e-3)


def test_only_one_place_asks_which_kind_a_model_is():
    asking = set()
    for path in sorted((ROOT / "core").rglob("*.py")) + sorted((ROOT / "server").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if not (isinstance(node, ast.Call) and ast.unparse(node.func) == "isinstance"):
                continue
            if ast.unparse(node.args[1]) in ("Part", "FacetPart", "(Part, FacetPart)"):
                asking.add(path.relative_to(ROOT).as_posix())
    allowed = {"parts/kinds.py", "stages/domain/of_cad.py", "stages/domain/of_facets.py"}
    assert asking == {f"core/intaglio/{name}" for name in allowed}


def test_a_brick_measures_the_same_both_ways():
    for model in _both():
        kind = kind_of(model)
        low, high = kind.limits(model)
        assert np.allclose(low, [1, 2, 3]) and np.allclose(high, [5, 4, 13])
        assert kind.scale(model) == pytest.approx(np.sqrt(16 + 4 + 100))
        assert kind.volume(model) == pytest.approx(80)
        assert kind.area(model) == pytest.approx(2 * (8 + 40 + 20))
        assert kind.zone_volumes(model) == pytest.approx([80])
        assert kind.holds(model, np.array([3.0, 3.0, 8.0]))
        assert not kind.holds(model, np.array([0.0, 3.0, 8.0]))
        inner = kind.inner_point(model)
        assert inner is not None and kind.holds(model, inner)
        (body,) = kind.bodies(model)
        assert body["name"] == "brick" and body["solid"]
        assert sorted(body["faces"]) == list(range(6))


def test_faces_of_a_brick_are_described_the_same_both_ways():
    part, facets = _both()
    one, other = (face_rows(m, kind_of(m).drawn(m), kind_of(m).scale(m)) for m in (part, facets))
    for a, b in zip(one, other, strict=True):
        assert a["id"] == b["id"] and a["surface"] == b["surface"] == "plane"
        assert a["area"] == pytest.approx(b["area"])
        assert np.allclose(a["centre"], b["centre"]) and np.allclose(a["normal"], b["normal"])
        assert a["at_end"] and b["at_end"]
    assert face_links(part) == face_links(facets)
    # each face meets four others square
    assert len(face_links(part)) == 12
    assert all(turn == pytest.approx(90, abs=1e-6) for _, _, turn in face_links(part))


def test_the_distances_of_a_place_from_all_faces_agree():
    spot = np.array([2.0, 7.0, 4.0])
    part, facets = _both()
    assert np.allclose(cad().distances(part, spot), FACETS.distances(facets, spot))
    assert cad().distances(part, spot).min() == pytest.approx(3.0)


def test_the_ruler_reads_the_same_both_ways():
    for model in _both():
        rows = face_rows(model, kind_of(model).drawn(model), 10.0)
        left = next(k for k, r in enumerate(rows) if r["normal"][0] < -0.9)
        right = next(k for k, r in enumerate(rows) if r["normal"][0] > 0.9)
        first = {"face": left, "at": [1.0, 3.1, 8.2]}
        second = {"face": right, "at": [5.0, 3.1, 8.2]}
        assert measure(model, first, None)["thickness"] == pytest.approx(4.0)
        both = measure(model, first, second)
        assert both["distance"] == pytest.approx(4.0)
        assert both["angle"] == pytest.approx(180.0)
        # a place within reach of a corner becomes the corner
        corner = measure(model, {"face": left, "at": [1.0, 2.005, 3.005]}, None)["at"][0]
        assert np.allclose(corner, [1, 2, 3])


def test_a_round_face_tells_its_radius_only_where_it_is_exact():
    part = Part(compound([cylinder((0, 0, 0), (0, 0, 1), 3.0, 9.0)]), "mm", ("bar",))
    side = next(k for k in range(3) if cad().radius(part, k) > 0)
    assert cad().radius(part, side) == pytest.approx(3.0)
    assert measure(part, {"face": side, "at": [3, 0, 4]}, None)["thickness"] == pytest.approx(6.0)
    facets = cad().facets(part, 1e-4)
    assert [FACETS.radius(facets, k) for k in range(3)] == [0.0, 0.0, 0.0]
    # the curvature of the exact bar and of its facets is that of its radius
    for model in (part, facets):
        kind = kind_of(model)
        curved = kind.curvature(model, kind.drawn(model))
        assert np.median(curved[curved > 0.01]) == pytest.approx(1 / 3, rel=0.05)


def test_what_is_stored_comes_back_the_same():
    for model in _both():
        kind = kind_of(model)
        arrays, names = kind.stored(model), kind.names(model)
        back = kind_named(names["kind"]).restored(arrays, names)
        assert kind_of(back) is kind
        assert kind.volume(back) == pytest.approx(80)
        assert kind.face_names(back) == kind.face_names(model)
        assert back.unit == "mm"


def test_models_are_scaled_joined_and_taken_apart_the_same_both_ways():
    for model in _both():
        kind = kind_of(model)
        half = kind.scaled(model, 0.5)
        assert kind.volume(half) == pytest.approx(10)
        two = kind.joined([model, half])
        assert kind.volume(two) == pytest.approx(90)
        # the second brick gets a name of its own
        pieces = kind.per_body(two)
        assert list(pieces) == ["brick", "brick_2"]
        assert [kind.volume(p) for p in pieces.values()] == pytest.approx([80, 10])
        sheet = kind.sheet(model, "side", [0])
        assert kind.area(sheet) == pytest.approx(
            face_rows(model, kind.drawn(model), 10.0)[0]["area"]
        )


def test_only_cad_keeps_exact_surfaces_in_a_file():
    part, facets = _both()
    assert cad().file(part, ".step").startswith(b"ISO-10303-21")
    assert FACETS.file(facets, ".step") is None
    assert cad().triangles(part) is None and FACETS.triangles(facets) == 12


def test_facets_that_an_operation_leaves_empty_are_refused():
    _, facets = _both()
    nothing = kept(facets, np.zeros(12, bool))
    with pytest.raises(StepFailed, match="would leave nothing"):
        FACETS.checked(nothing, "Drop", mirrored=False)
    assert cad().checked(_brick(), "Drop", mirrored=False) is not None


def test_a_gap_in_the_facets_is_found_as_free_lines():
    _, facets = _both()
    assert not len(FACETS.diagnosed(facets).free_lines)
    holed = kept(facets, np.arange(12) > 0)
    lines = FACETS.diagnosed(holed).free_lines
    corners = facets.points[facets.triangles[0]]
    edge = np.linalg.norm(corners - np.roll(corners, 1, axis=0), axis=1).sum()
    assert np.linalg.norm(lines[:, 0] - lines[:, 1], axis=1).sum() == pytest.approx(edge, rel=1e-6)
