"""CAD in and out, its findings, its repairs, against closed forms and the kernel's own checks."""

from dataclasses import replace

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy, BRepBuilderAPI_Transform
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.gp import gp_Trsf, gp_Vec
from OCP.IGESControl import IGESControl_Writer
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from intaglio.cad import repair
from intaglio.cad.features import find_features
from intaglio.cad.findings import diagnose
from intaglio.cad.measures import area, bounds, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound, read_cad, sheet_of
from intaglio.cad.topology import explore
from intaglio.cad.write import brep_bytes, step_bytes
from intaglio.errors import StepFailed
from tests.core.shapes import box, cut, cylinder, fuse, pipe


def _part(*shapes, names=()):
    return Part(compound(list(shapes)), "mm", names)


def _codes(part):
    return {f.code: f for f in diagnose(part).findings}


def _block():
    return _part(box(0, 0, 0, 40, 30, 20))


def _sound(part):
    assert diagnose(part).findings == ()
    assert BRepCheck_Analyzer(part.shape).IsValid()
    return sum(volume(s) for s in part.solids)


# ---- files ----


def test_names_colours_and_units_survive_a_step_file():
    part = replace(
        _part(pipe(), box(50, 50, 50, 60, 60, 60), names=("außen pipe", "block")),
        unit="in",
        face_names=("rim", *[""] * 9),
        face_colours=("", "#aa3311", *[""] * 8),
    )
    again = read_cad(step_bytes(part), "part.stp")
    assert again.unit == "in" and again.body_names == ("außen_pipe", "block")
    assert again.face_names == part.face_names and again.face_colours == part.face_colours
    for a, b in zip(again.solids, part.solids, strict=True):
        assert volume(a) == pytest.approx(volume(b), rel=1e-9)
        np.testing.assert_allclose(bounds(a), bounds(b), atol=1e-6)


def test_brep_and_iges_are_read(tmp_path):
    part = _part(pipe())
    again = read_cad(brep_bytes(part), "part.brep")
    assert volume(again.shape) == pytest.approx(volume(part.shape), rel=1e-12)
    writer = IGESControl_Writer("IN", 0)  # surfaces, one by one, in inches
    writer.AddShape(box(0, 0, 0, 25.4, 50.8, 76.2))
    assert writer.Write(str(tmp_path / "a.igs"))
    read = read_cad((tmp_path / "a.igs").read_bytes(), "a.igs")
    assert read.unit == "in"
    low, high = bounds(read.shape)
    assert high - low == pytest.approx([1, 2, 3], rel=1e-4)
    found = _codes(read)
    assert set(found) == {"gaps"} and found["gaps"].count == 12
    sewn, _ = repair.sewn(read, found["gaps"].repairs[0]["operation"]["tolerance"])
    assert _sound(sewn) == pytest.approx(6.0, rel=1e-6)


# ---- findings ----

CLEAN = {
    "block": lambda: _block(),
    "pipe": lambda: _part(pipe()),
    "hollow": lambda: _part(cut(box(0, 0, 0, 10, 10, 10), box(3, 3, 3, 7, 7, 7))),
    "touching": lambda: _part(box(0, 0, 0, 4, 3, 2), box(4, 0, 0, 6, 3, 2)),
    "drilled": lambda: _part(cut(box(0, 0, 0, 9, 9, 9), cylinder((4, 4, -1), (0, 0, 1), 2, 20))),
}


@pytest.mark.parametrize("name", CLEAN)
def test_nothing_is_invented_on_sound_parts(name):
    assert [f.code for f in diagnose(CLEAN[name]()).findings] == []


def test_a_missing_face_is_a_hole():
    part = repair.without_faces(_block(), {0})
    found = _codes(part)
    assert set(found) == {"holes"} and found["holes"].count == 1
    assert found["holes"].places[0] == pytest.approx([0, 15, 10])
    assert found["holes"].size == pytest.approx(2 * np.sqrt(600 / np.pi), rel=1e-3)


def _lifted(part, face, by):
    motion = gp_Trsf()
    motion.SetTranslation(gp_Vec(*by))
    faces = [
        BRepBuilderAPI_Transform(f, motion, True).Shape() if k == face else f
        for k, f in enumerate(part.faces)
    ]
    oriented = explore(part.shape, TopAbs_ShapeEnum.TopAbs_FACE)
    faces = [f if k == face else oriented[k] for k, f in enumerate(faces)]
    if by[2]:
        faces[face] = BRepBuilderAPI_Transform(oriented[face], motion, True).Shape()
    return _part(sheet_of(faces))


def test_a_lifted_face_is_a_gap_with_its_width():
    block = _block()
    top = next(k for k, f in enumerate(block.faces) if bounds(f)[0][2] > 19.9)
    part = _lifted(block, top, (0, 0, 0.2))
    found = _codes(part)
    assert set(found) == {"gaps"} and found["gaps"].count == 4  # one for each of its edges
    assert found["gaps"].size == pytest.approx(0.2, rel=1e-6)
    sewn, closed = repair.sewn(part, 0.25)
    assert closed == 8
    assert _sound(sewn) == pytest.approx(40 * 30 * 20.0, rel=6e-3)


def test_copies_of_faces_and_bodies():
    faces = explore(_block().shape, TopAbs_ShapeEnum.TopAbs_FACE)
    part = _part(sheet_of([*faces, BRepBuilderAPI_Copy(faces[2]).Shape()]))
    found = _codes(part)
    assert found["duplicate-faces"].count == 1
    assert found["duplicate-faces"].size == pytest.approx(area(faces[2]))
    mended, count = repair.without_duplicates(part)
    assert count == 1 and _sound(mended) == pytest.approx(24000)
    twice = _part(box(0, 0, 0, 4, 3, 2), box(0, 0, 0, 4, 3, 2), names=("a", "b"))
    found = _codes(twice)
    assert set(found) == {"duplicate-bodies"} and "b" in found["duplicate-bodies"].message
    mended, _ = repair.without_duplicates(twice)
    assert mended.body_names == ("a",) and _sound(mended) == pytest.approx(24)


def test_normals():
    inverted = _part(_block().bodies[0].Reversed())
    assert set(_codes(inverted)) == {"inverted"}
    mended, count = repair.unified_normals(inverted)
    assert count == 1 and _sound(mended) == pytest.approx(24000)
    faces = explore(_block().shape, TopAbs_ShapeEnum.TopAbs_FACE)
    mixed = _part(sheet_of([*faces[:-1], faces[-1].Reversed()]))
    assert _codes(mixed)["mixed-normals"].count == 1
    mended, count = repair.unified_normals(mixed)
    assert count == 1 and _sound(mended) == pytest.approx(24000)


def test_slivers_and_tiny_faces():
    part, more = repair.split_by_plane(_block(), [0, 0.004, 0], [0, 1, 0], set())
    assert more == 4
    found = _codes(part)
    assert found["slivers"].count == 4
    mended, _ = repair.merged_faces(part)
    assert len(mended.faces) == 6 and _sound(mended) == pytest.approx(24000)


def test_bodies_that_overlap_or_lie_inside():
    part = _part(box(0, 0, 0, 40, 30, 20), box(30, 0, 0, 60, 30, 20))
    found = _codes(part)
    assert set(found) == {"overlapping-bodies"}
    assert found["overlapping-bodies"].size == pytest.approx(10 * 30 * 20)
    mended, _ = repair.united(part)
    assert _sound(mended) == pytest.approx(60 * 30 * 20)
    part = _part(box(0, 0, 0, 40, 30, 20), box(10, 10, 5, 20, 20, 15), names=("case", "battery"))
    found = _codes(part)
    assert set(found) == {"body-inside"} and "battery" in found["body-inside"].message
    offer = found["body-inside"].repairs[0]["operation"]
    mended, _ = repair.without_bodies(part, offer["bodies"])
    assert mended.body_names == ("case",)
    with pytest.raises(StepFailed):
        repair.without_bodies(part, ["case", "battery"])


def test_surfaces_without_a_solid():
    sheets = _part(*[sheet_of([f]) for f in _block().faces])
    assert set(_codes(sheets)) == {"no-solid"}
    mended, _ = repair.sewn(sheets, 1e-4)
    assert _sound(mended) == pytest.approx(24000)


# ---- features ----


def _plate():
    plate = fuse(box(0, 0, 0, 40, 40, 5), cylinder((10, 10, 5), (0, 0, 1), 3, 6))
    plate = cut(plate, cylinder((30, 30, 2), (0, 0, 1), 4, 10))
    plate = cut(plate, cylinder((30, 10, -1), (0, 0, 1), 2, 10))
    return _part(cut(plate, box(5, 30, 4.5, 15, 32, 6)))


def test_holes_bosses_and_marks_are_told_apart_by_size():
    found = [(f.kind, round(f.size, 6), len(f.faces)) for f in find_features(_plate())]
    assert found == [("hole", 4.0, 1), ("hole", 8.0, 2), ("boss", 6.0, 2), ("mark", 10.0, 5)]


@pytest.mark.parametrize(
    "kind, below, count, change",
    [
        ("hole", 5.0, 1, np.pi * 4 * 5),
        ("hole", 9.0, 2, np.pi * 4 * 5 + np.pi * 16 * 3),
        ("boss", 9.0, 1, -np.pi * 9 * 6),
        ("mark", 20.0, 1, 10 * 2 * 0.5),
        ("hole", 1.0, 0, 0.0),
    ],
)
def test_features_are_removed_by_size(kind, below, count, change):
    part, removed = repair.without_features(_plate(), kind, below)
    before = volume(_plate().shape)
    assert removed == count
    assert _sound(part) - before == pytest.approx(change, rel=1e-6, abs=1e-6)


def test_fillets_are_found_and_removed():
    tool = BRepFilletAPI_MakeFillet(_block().shape)
    upright = [e for e in _block().edges if bounds(e)[1][2] - bounds(e)[0][2] > 19]
    for e in explore(_block().shape, TopAbs_ShapeEnum.TopAbs_EDGE)[:0]:
        tool.Add(3.0, TopoDS.Edge_s(e))
    solid = _block()
    tool = BRepFilletAPI_MakeFillet(solid.shape)
    for edge in solid.edges:
        low, high = bounds(edge)
        if high[2] - low[2] > 19:
            tool.Add(3.0, edge)
    part = _part(tool.Shape())
    assert len(upright) == 4
    fillets = [f for f in find_features(part) if f.kind == "fillet"]
    assert [round(f.size, 9) for f in fillets] == [3.0] * 4
    mended, count = repair.without_features(part, "fillet", 3.5)
    assert count == 4 and _sound(mended) == pytest.approx(24000)


def test_what_cannot_be_removed_is_told_with_its_place():
    with pytest.raises(StepFailed) as caught:
        repair.removed_faces(_block(), [0])
    assert caught.value.code == "not-removed" and caught.value.places


# ---- caps and motions ----


def test_caps_flat_and_smooth():
    open_pipe = repair.without_faces(_block(), {1})
    part, count = repair.capped(open_pipe, "flat", 0, 0)
    assert count == 1 and _sound(part) == pytest.approx(24000, rel=1e-9)
    part, count = repair.capped(open_pipe, "flat", 100.0, 0)
    assert count == 0 and "holes" in _codes(part)


def test_motions_against_closed_forms():
    block = _block()
    assert volume(repair.scaled(block, 2.0)[0].shape) == pytest.approx(8 * 24000)
    low, high = bounds(repair.rotated(block, [0, 0, 0], [0, 0, 1], 90.0)[0].shape)
    assert high - low == pytest.approx([30, 40, 20], abs=1e-6)
    low, _ = bounds(repair.moved(block, [1, 2, 3])[0].shape)
    assert low == pytest.approx([1, 2, 3], abs=1e-6)
    mirrored = repair.mirrored(block, [0, 0, 0], [1, 0, 0])[0]
    assert _sound(mirrored) == pytest.approx(24000)
    assert bounds(mirrored.shape)[0][0] == pytest.approx(-40, abs=1e-6)


def test_names_of_bodies_and_faces_outlive_repairs():
    part = replace(
        _part(box(0, 0, 0, 4, 3, 2), box(10, 0, 0, 14, 3, 2), names=("left", "right")),
        face_names=("inlet", *[""] * 11),
        face_colours=("",) * 12,
    )
    broken = repair.without_faces(part, {7})
    mended, _ = repair.capped(broken, "flat", 0, 0)
    assert sorted(mended.body_names) == ["left", "right"]
    at = mended.face_names.index("inlet")
    assert bounds(mended.faces[at])[1][0] == pytest.approx(0.0, abs=1e-6)


def test_a_smooth_cap_runs_on_from_a_curved_skin_and_a_hopeless_one_is_told():
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere

    ball = _part(BRepPrimAPI_MakeSphere(10.0).Shape())
    split, _ = repair.split_by_plane(ball, [0, 0, 8.0], [0, 0, 1], set())
    top = next(k for k, f in enumerate(split.faces) if bounds(f)[0][2] > 7.9)
    open_ball = repair.without_faces(split, {top})
    flat, _ = repair.capped(open_ball, "flat", 0, 0)
    smooth, _ = repair.capped(open_ball, "smooth", 0, 0)
    whole = 4 / 3 * np.pi * 1000
    lost = np.pi * 4 * (30 - 2) / 3
    assert sum(volume(s) for s in flat.solids) == pytest.approx(whole - lost, rel=1e-6)
    assert sum(volume(s) for s in smooth.solids) == pytest.approx(whole, rel=0.1 * lost / whole)
    with pytest.raises(StepFailed) as caught:
        repair.capped(repair.without_faces(_block(), {0}), "smooth", 0, 0)
    assert caught.value.code == "cap" and caught.value.places
