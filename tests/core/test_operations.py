"""The list of repairs: checks, order, what each says it did; selections, the ruler, files."""

import io

import numpy as np
import pytest
import trimesh

from intaglio.cad.measures import volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound, read_cad
from intaglio.cad.write import step_bytes
from intaglio.errors import FileRejected, SettingRejected, StepFailed
from intaglio.formats.stl import read_stl, stl_bytes
from intaglio.parts.acting import ACTS, apply
from intaglio.parts.measure import measure
from intaglio.parts.model import model_of
from intaglio.parts.operations import OPERATIONS, check_operations
from intaglio.parts.places import face_numbers, parse, reference
from intaglio.parts.select import grow
from intaglio.parts.source import Source
from intaglio.parts.writing import files_of, geometry_bytes, given_model, patch_faces, per_patch
from intaglio.recipe.drafting import draft
from intaglio.settings.blanks import blanks_of, build
from intaglio.stages.geometry.settings import Geometry
from intaglio.stages.geometry.step import geometry_step
from intaglio.stages.registry import BY_KEY
from tests.core.scans import as_trimesh, fine_box, flipped, gapped, holed, soup, sphere
from tests.core.shapes import box, cut, cylinder, pipe, run, source


def _geometry(source, repairs=(), unit="mm"):
    settings = build("geometry", Geometry, {"unit": unit, "repairs": list(repairs)})
    return geometry_step(settings, source, lambda share, doing: None)


def _stl(part):
    return Source("scan.stl", stl_bytes(part.points, part.triangles, "scan"))


def _cad(*shapes, names=()):
    return Source("part.step", step_bytes(Part(compound(list(shapes)), "mm", names)))


def test_every_operation_tells_its_blanks_and_suits_something():
    for o in OPERATIONS:
        names = set(blanks_of(o.settings))
        assert {n for n in names if "{" + n + "}" in o.sentence} == names
        for kind, acts in ACTS.items():
            assert o.of_others or (o.key in acts) == (kind in o.of)
        assert o.of


@pytest.mark.parametrize(
    "rows, words",
    [
        ("sew", "list"),
        ([{"do": "paint"}], "must be one of"),
        ([{"do": "sew", "tolerance": 0}], "greater than 0"),
        ([{"do": "sew", "tolerance": "wide"}], "not defined"),
        ([{"do": "sew", "colour": 1}], "no “colour”"),
        ([{"do": "cap", "shape": "round"}], "one of"),
        ([{"do": "cap", "on": "yes"}], "true or false"),
        ([{"do": "remove_faces", "faces": ["a @ 1 2"]}], "three numbers"),
        ([{"do": "move", "by": [1, 2]}], "three coordinates"),
    ],
)
def test_wrong_rows_are_told(rows, words):
    with pytest.raises(SettingRejected) as caught:
        check_operations("geometry.repairs", "repairs", rows, {})
    assert words in caught.value.message and caught.value.blank == "geometry.repairs"


def test_rows_are_completed_and_numbers_worked_out():
    (row,) = check_operations("r", "repairs", [{"do": "sew", "tolerance": "gap * 2"}], {"gap": 0.1})
    assert row == {"do": "sew", "on": True, "tolerance": 0.2}


def test_repairs_run_in_order_and_can_be_switched_off():
    source = _stl(fine_box(edge=4.0))
    move = {"do": "move", "by": [10, 0, 0]}
    scale = {"do": "scale", "factor": 2.0}
    one = _geometry(source, [move, scale]).report
    other = _geometry(source, [scale, move]).report
    off = _geometry(source, [{**move, "on": False}, scale]).report
    assert one["low"][0] == pytest.approx(0.0, abs=1e-5)
    assert other["low"][0] == pytest.approx(-10.0)
    assert off["low"][0] == pytest.approx(-20.0)
    assert [row["done"] for row in off["log"]] == ["", "scaled"]
    assert one["log"][1]["volume_change"] == pytest.approx(7 * 1200, rel=1e-6)


def test_one_that_fails_leaves_the_rest_and_says_why():
    source = _cad(box(0, 0, 0, 4, 3, 2))
    rows = [{"do": "remove_faces", "faces": ["face_1"]}, {"do": "scale", "factor": 2.0}]
    report = _geometry(source, rows).report
    assert report["log"][0]["problem"] and report["log"][0]["places"]
    assert report["volume"] == pytest.approx(8 * 24)
    assert "repair-failed" in [f["code"] for f in report["findings"]]
    wrong = _geometry(source, [{"do": "drop_spikes"}]).report
    assert "does not apply to CAD" in wrong["log"][0]["problem"]


def test_the_geometry_as_read_is_kept_beside_the_repaired():
    product = _geometry(_stl(fine_box(edge=4.0)), [{"do": "scale", "factor": 3.0}])
    before, after = (product.arrays[f"{k}_points"] for k in ("before", "display"))
    assert np.ptp(after, axis=0) == pytest.approx(3 * np.ptp(before, axis=0), rel=1e-6)
    assert "before_points" not in _geometry(_stl(fine_box(edge=4.0))).arrays


def test_safe_repairs_close_what_is_small_and_report_it():
    part = flipped(soup(gapped(fine_box(), 0.02)), np.arange(30))
    report = _geometry(_stl(part), [{"do": "repair_safe", "tolerance": 0.05}]).report
    assert report["closed"] and report["volume"] == pytest.approx(1200, rel=5e-3)
    done = [a["do"] for a in report["log"][0]["actions"]]
    assert set(done) == {"sew", "unify_normals"}
    wide = _geometry(_stl(gapped(fine_box(), 0.2)), [{"do": "repair_safe", "tolerance": 0.05}])
    assert not wide.report["closed"] and wide.report["log"][0]["actions"] == []
    hole = _geometry(
        _stl(holed(sphere(fine=4), (0, 0, 10), 3)), [{"do": "repair_safe", "tolerance": 0.1}]
    )
    assert not hole.report["closed"]


def test_the_unit_is_asked_for_where_the_file_says_nothing():
    unknown = _geometry(_stl(sphere()), unit="file").report
    assert not unknown["unit_known"]
    assert [f["code"] for f in unknown["findings"]] == ["unit-unknown"]
    known = _geometry(_stl(sphere()), unit="m").report
    assert known["unit"] == "m" and known["findings"] == []
    # numbers of a STEP file in mm, taken as inches
    assert _geometry(_cad(box(0, 0, 0, 1, 2, 3)), unit="in").report["volume"] == pytest.approx(6)


# ---- faces by place ----


def test_a_face_is_found_again_when_numbers_move():
    whole = Part(compound([box(0, 0, 0, 40, 30, 20)]), "mm")
    product = _geometry(_cad(box(0, 0, 0, 40, 30, 20)))
    rows = product.report["faces"]
    refs = [reference(r["id"], r["at"]) for r in rows]
    drilled = cut(box(0, 0, 0, 40, 30, 20), cylinder((10, 10, -1), (0, 0, 1), 3, 30))
    changed = Part(compound([drilled]), "mm")
    found = face_numbers(changed, refs, "here")
    assert len(set(found)) == 6
    for row, number in zip(rows, found, strict=True):
        again = np.array(_geometry(_cad(drilled)).report["faces"][number]["normal"])
        np.testing.assert_allclose(again, row["normal"], atol=1e-9)
    assert face_numbers(whole, ["face_2"], "here") == [1]
    for wrong in ("face_99", "@ 500 0 0"):
        with pytest.raises(SettingRejected):
            face_numbers(whole, [wrong], "here")
    assert parse("a @ 1, 2, 3") == ("a", [1.0, 2.0, 3.0])


# ---- selections ----


def _drilled_report():
    block = box(0, 0, 0, 40, 30, 20)
    for x in (8, 20):
        block = cut(block, cylinder((x, 10, -1), (0, 0, 1), 3, 30))
    return _geometry(_cad(cut(block, cylinder((32, 10, -1), (0, 0, 1), 4, 30)))).report


def test_selections_grow():
    report = _drilled_report()
    by = {}
    for row in report["faces"]:
        by.setdefault((row["surface"], round(row["radius"], 6)), []).append(row["id"])
    small = by["cylinder", 3.0]
    assert len(small) == 2
    assert set(grow(report, small[:1], "radius")) == set(small)
    assert set(grow(report, small[:1], "size")) == set(small)
    assert len(grow(report, small[:1], "connected")) == len(report["faces"])
    assert grow(report, small[:1], "follow", 20.0) == small[:1]
    assert len(grow(report, small[:1], "follow", 91.0)) == len(report["faces"])
    assert len(grow(report, small, "invert")) == len(report["faces"]) - 2
    plane = by["plane", 0.0][0]
    assert grow(report, [plane], "plane") == [plane]
    for faces, how in ((["nobody"], "radius"), (small, "magic")):
        with pytest.raises(SettingRejected):
            grow(report, faces, how)


# ---- the ruler ----


def test_the_ruler_on_cad():
    model = model_of(_geometry(_cad(pipe())))
    report = _geometry(_cad(pipe())).report
    number = {(r["surface"], round(r["radius"])): k for k, r in enumerate(report["faces"])}
    outer, inner = number["cylinder", 10], number["cylinder", 7]
    one = measure(model, {"face": outer, "at": [30, 0, 10.01]}, None)
    assert one["diameter"] == pytest.approx(20) and one["thickness"] == pytest.approx(3)
    assert one["at"][0] == pytest.approx([30, 0, 10])
    two = measure(model, {"face": outer, "at": [30, 0, 10]}, {"face": inner, "at": [30, 0, -7]})
    assert two["distance"] == pytest.approx(17) and two["between_faces"] == pytest.approx(3)
    ends = [k for k, r in enumerate(report["faces"]) if r["surface"] == "plane"]
    across = [{"face": k, "at": [x, 8.5, 0]} for k, x in zip(ends, (0, 60), strict=True)]
    if report["faces"][ends[0]]["centre"][0] > 1:
        across = [{"face": k, "at": [x, 8.5, 0]} for k, x in zip(ends, (60, 0), strict=True)]
    far = measure(model, *across)
    assert far["between_faces"] == pytest.approx(60) and far["angle"] == pytest.approx(180)
    for wrong in ({"face": 99, "at": [0, 0, 0]}, {"face": 0, "at": [0, float("nan"), 0]}):
        with pytest.raises(SettingRejected):
            measure(model, wrong, None)


def test_the_ruler_on_facets():
    model = model_of(_geometry(_stl(fine_box(edge=3.0))))
    number = {n: k for k, n in enumerate(model.region_names)}
    top = next(
        k
        for n, k in number.items()
        if model.points[model.triangles[model.region == k]][..., 2].min() > 2.9
    )
    one = measure(model, {"face": top, "at": [0.3, 0.4, 3.0]}, None)
    assert one["thickness"] == pytest.approx(6.0, rel=1e-6)
    corner = measure(model, {"face": top, "at": [9.99, 4.99, 3.0]}, None)
    assert corner["at"][0] == pytest.approx([10, 5, 3])


# ---- writing ----


def test_geometry_is_written_whole_per_body_and_per_patch():
    model = model_of(_geometry(_cad(pipe(), box(50, 50, 50, 60, 60, 60), names=("pipe", "block"))))
    bodies = files_of(model, ".step", "body", "all")
    assert set(bodies) == {"pipe.step", "block.step"}
    assert volume(read_cad(bodies["block.step"], "b.step").shape) == pytest.approx(1000)
    sheets = per_patch(model, {"one": [0], "none": [], "two": [1, 2]})
    assert set(sheets) == {"one", "two"} and len(sheets["two"].faces) == 2
    stl = read_stl(geometry_bytes(model, ".stl", "all"), "all.stl")
    mesh = trimesh.Trimesh(stl.points, stl.triangles)
    assert mesh.volume == pytest.approx(volume(model.shape), rel=2e-3)
    scan = model_of(_geometry(_stl(sphere())))
    again = read_stl(files_of(scan, ".stl", "body", "all")["scan.stl"], "scan.stl")
    assert trimesh.Trimesh(again.points, again.triangles).is_watertight
    with pytest.raises(FileRejected):
        geometry_bytes(scan, ".step", "scan")
    with pytest.raises(FileRejected):
        geometry_bytes(scan, ".docx", "scan")
    with pytest.raises(FileRejected):
        files_of(scan, ".stl", "patch", "scan")


# ---- drafts ----


@pytest.mark.parametrize("fluid", ["inside", "around", "as-is"])
def test_drafts_for_each_fluid(fluid):
    drafted = draft(_cad(pipe()), "pipe", fluid)
    assert drafted.closed and drafted.left == []
    assert drafted.settings["domain"]["where"] == fluid
    assert drafted.settings["patches"]["patches"][-1]["faces"] == "rest"


def test_a_draft_holds_safe_repairs_where_they_are_needed():
    drafted = draft(_stl(gapped(fine_box(), 0.005)), "box", None)
    assert drafted.closed
    assert [r["do"] for r in drafted.settings["geometry"]["repairs"]] == ["repair_safe"]
    holes = draft(_stl(holed(sphere(), (0, 0, 10), 3)), "ball", None)
    assert holes.closed
    assert [r["do"] for r in holes.settings["geometry"]["repairs"]] == ["repair_safe", "close"]
    with pytest.raises(StepFailed):
        draft(_stl(sphere()), "ball", "inside")


def test_mirrored_facets_stay_closed():
    model = model_of(_geometry(_stl(sphere())))
    out, _ = apply(model, {"do": "mirror", "at": [0, 0, 0], "normal": [1, 0, 0]})
    assert as_trimesh(out).is_watertight and as_trimesh(out).volume > 0
    with pytest.raises(SettingRejected):
        apply(model, {"do": "mirror", "at": [0, 0, 0], "normal": [0, 0, 0]})


def test_the_skin_of_every_mesh_is_written_patch_by_patch(tmp_path):
    row = {"patches": ["wall*"], "count": 2, "growth": 1.2, "first": 0.3}
    given = {"sizing": {"smallest": 1.5, "largest": 3.0}, "layers": {"layers": [row]}}
    states, store = run(source(pipe(), tmp_path), "volume", given)
    cells = states["volume"].report["volume"]
    patches = patch_faces(states["patches"].report, states["domain"].report)
    assert len(patches) == 3
    for stage in ("surface", "volume"):
        model = given_model(BY_KEY[stage].gives, store.get(states[stage].key))
        whole = files_of(model, ".stl", "whole", "p")["p.stl"]
        skin = trimesh.load_mesh(io.BytesIO(whole), file_type="stl")
        assert skin.is_watertight and skin.volume == pytest.approx(cells, rel=1e-5)
        parts = files_of(model, ".stl", "patch", "p", patches)
        assert set(parts) == {f"{name}.stl" for name in patches}
        areas = [trimesh.load_mesh(io.BytesIO(d), file_type="stl").area for d in parts.values()]
        assert sum(areas) == pytest.approx(skin.area, rel=1e-6) and min(areas) > 0
