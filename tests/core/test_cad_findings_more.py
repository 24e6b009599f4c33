"""Faults of CAD that need an odd shape to show, and repairs that choose."""

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.GeomAPI import GeomAPI_PointsToBSplineSurface
from OCP.gp import gp_Pnt
from OCP.TColgp import TColgp_Array2OfPnt

from intaglio.cad import repair
from intaglio.cad.findings import diagnose
from intaglio.cad.measures import area, bounds, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound, sheet_of
from intaglio.cad.topology import edge_uses, free_uses, gaps_and_holes, point_distance
from intaglio.errors import StepFailed
from intaglio.parts.measure import measure
from intaglio.parts.safe import repair_safe
from tests.core.shapes import box, cut, cylinder, fuse, pipe


def _part(*shapes, names=()):
    return Part(compound(list(shapes)), "mm", names)


def _codes(part):
    return {f.code: f for f in diagnose(part).findings}


@pytest.mark.parametrize("t", [0.05, 0.15])
def test_a_thin_wall_is_measured(t):
    found = _codes(_part(box(0, 0, 0, 100, 50, t)))
    assert set(found) == {"thin-walls"}
    assert found["thin-walls"].size == pytest.approx(t, rel=1e-4)
    assert found["thin-walls"].level == "note"


def test_a_narrow_gap_is_measured():
    slot = cut(box(0, 0, 0, 100, 50, 20), box(20, 24.95, 5, 80, 25.05, 30))
    found = _codes(_part(slot))
    assert found["narrow-gaps"].size == pytest.approx(0.1, rel=1e-3)


def test_a_wrinkle_of_a_fitted_surface_is_found():
    grid = TColgp_Array2OfPnt(1, 41, 1, 41)
    for i in range(41):
        for j in range(41):
            x, y = 2.5 * i, 2.5 * j
            bump = 6.0 * np.exp(-((x - 50) ** 2 + (y - 50) ** 2) / 8.0)
            grid.SetValue(i + 1, j + 1, gp_Pnt(x, y, float(bump)))
    surface = GeomAPI_PointsToBSplineSurface(grid).Surface()
    face = BRepBuilderAPI_MakeFace(surface, 1e-6).Face()
    found = _codes(_part(sheet_of([face])))
    assert "high-curvature" in found
    assert found["high-curvature"].places[0][:2] == pytest.approx([50, 50], abs=6)


def test_a_small_body_beside_a_large_one_is_loose():
    part = _part(box(0, 0, 0, 100, 50, 20), box(120, 0, 0, 121, 1, 1), names=("hull", "bolt"))
    found = _codes(part)
    assert set(found) == {"loose-pieces"}
    assert found["loose-pieces"].repairs[0]["operation"]["bodies"] == ["bolt"]


def test_a_body_in_a_closed_cavity_is_told():
    case = cut(box(0, 0, 0, 40, 40, 40), box(5, 5, 5, 35, 35, 35))
    found = _codes(_part(case, box(15, 15, 15, 20, 20, 20), names=("case", "ball")))
    assert set(found) == {"body-inside"}


def test_a_sheet_beside_a_solid_is_named():
    sheet = sheet_of([Part(box(0, 0, 0, 9, 9, 1), "mm").faces[5]])
    part = _part(box(20, 0, 0, 30, 10, 10), sheet)
    found = _codes(part)
    # its rim is no hole
    assert set(found) == {"standing-sheets"} and found["standing-sheets"].level == "note"
    mended, count = repair.without_sheets(part)
    assert count == 1 and len(mended.bodies) == 1 and diagnose(mended).findings == ()


@pytest.mark.parametrize("gap", [0.0, 0.1])
def test_faces_that_nearly_meet_beside_a_solid_are_to_be_sewn(gap):
    """A box in six pieces is none of six sheets."""
    faces = Part(box(0, 0, 0, 9, 9, 9), "mm").faces
    pieces = []
    for k, face in enumerate(faces):
        piece, _ = repair.moved(_part(sheet_of([face])), [gap * (k // 2), 0, 0])
        pieces += piece.bodies
    found = _codes(_part(box(20, 0, 0, 30, 10, 10), *pieces))
    assert "gaps" in found and "standing-sheets" not in found


def test_plates_side_by_side_are_no_gap():
    """Fins closer together than a gap may be wide: their surfaces do not run on to each other."""
    face = Part(box(0, 0, 0, 30, 0.2, 20), "mm").faces[2]
    pieces = []
    for k in range(5):
        pieces += repair.moved(_part(sheet_of([face])), [0, 0.4 * k, 0])[0].bodies
    found = _codes(_part(box(40, 0, 0, 50, 10, 10), *pieces))
    assert set(found) == {"standing-sheets"} and found["standing-sheets"].count == 5


def test_gaps_of_unlike_widths_share_one_list():
    block = _part(box(0, 0, 0, 40, 30, 20))
    apart = _part(*[sheet_of([f]) for f in block.faces])
    moved = []
    for k, body in enumerate(apart.bodies):
        piece, _ = repair.moved(_part(body), [0.01 * k, 0, 0])
        moved += piece.bodies
    part = _part(*moved)
    gaps, holes = gaps_and_holes(part, free_uses(edge_uses(part)), 54.0)
    assert holes == [] and len(gaps) == 12
    widths = [w for g in gaps for w in g.widths]
    assert max(widths) < 0.06
    sewn, _ = repair.sewn(part, 0.08)
    assert volume(sewn.shape) == pytest.approx(24000, rel=5e-3)


def test_merging_leaves_one_face_per_surface():
    two = fuse(box(0, 0, 0, 20, 10, 10), box(20, 0, 0, 40, 10, 10))
    part = _part(two)
    assert len(part.faces) > 6
    merged, fewer = repair.merged_faces(part)
    assert len(merged.faces) == 6 and fewer == len(part.faces) - 6
    assert volume(merged.shape) == pytest.approx(4000)


def test_only_chosen_faces_are_split():
    block = _part(box(0, 0, 0, 40, 30, 20))
    top = next(k for k, f in enumerate(block.faces) if bounds(f)[0][2] > 19)
    part, more = repair.split_by_plane(block, [10, 0, 0], [1, 0, 0], {top})
    assert more == 1 and volume(part.shape) == pytest.approx(24000)
    areas = sorted(area(f) for f in part.faces)
    assert any(a == pytest.approx(300) for a in areas)
    assert any(a == pytest.approx(900) for a in areas)


def test_dropping_everything_is_refused():
    block = _part(box(0, 0, 0, 1, 1, 1))
    with pytest.raises(StepFailed) as caught:
        repair.without_faces(block, set(range(6)))
    assert caught.value.code == "nothing-left"


def test_safe_repairs_of_cad_stop_where_they_would_move_too_much():
    block = _part(box(0, 0, 0, 40, 30, 20))
    lifted = []
    for k, body in enumerate(_part(*[sheet_of([f]) for f in block.faces]).bodies):
        piece, _ = repair.moved(_part(body), [0, 0, 0.2 if k == 5 else 0.0])
        lifted += piece.bodies
    part = _part(*lifted)
    _, few = repair_safe(part, 0.01)
    out, many = repair_safe(part, 0.3)
    assert "sew" in [a["do"] for a in many]
    assert isinstance(out, Part) and len(out.solids) == 1
    assert len(out.solids) > len(repair_safe(part, 0.01)[0].solids) or len(few) < len(many)


@pytest.mark.parametrize(
    "shape, word, radius",
    [
        (BRepPrimAPI_MakeSphere(3.0).Shape(), "sphere", 3.0),
        (BRepPrimAPI_MakeTorus(9.0, 2.0).Shape(), "torus", 2.0),
        (cylinder((0, 0, 0), (0, 0, 1), 4.0, 9.0), "cylinder", 4.0),
    ],
)
def test_the_ruler_knows_round_faces(shape, word, radius):
    from intaglio.parts.cad_kind import surface_word

    part = _part(shape)
    face = next(k for k in range(len(part.faces)) if surface_word(part, k) == word)
    low, high = bounds(part.faces[face])
    at = 0.5 * (low + high) + [0.5 * (high - low)[0], 0, 0]
    told = measure(part, {"face": face, "at": at.tolist()}, None)
    assert told["radius"] == pytest.approx(radius)
    assert told["thickness"] == pytest.approx(2 * radius, rel=1e-6)


def test_a_cone_has_no_one_radius():
    part = _part(BRepPrimAPI_MakeCone(4.0, 1.0, 9.0).Shape())
    told = measure(part, {"face": 0, "at": [2.5, 0, 4.5]}, None)
    assert "radius" not in told


def test_distance_to_a_shape():
    assert point_distance(np.array([5.0, 0.5, 0.5]), box(0, 0, 0, 1, 1, 1)) == pytest.approx(4.0)


def test_a_pipe_with_a_cut_wall_has_an_opening_on_a_round_face():
    from intaglio.cad.domain import fluid_inside, openings, spaces

    drilled = cut(pipe(), cylinder((30, 3, 4), (0, 3, 4), 2.0, 10))
    part = Part(drilled, "mm")
    found = openings(part)
    # both rims of the hole, on the outer and on the inner wall
    side = [o for o in found if abs(o.normal[0]) < 0.1]
    assert [o.diameter for o in side] == pytest.approx([4.0, 4.0], rel=0.06)
    space = spaces(part, found)[0]
    assert len(space.openings) == 3
    outer = max(side, key=lambda o: np.hypot(o.centre[1], o.centre[2]))
    assert outer.name in space.openings
    fluid = fluid_inside(part, found, list(space.openings), (20.0, 0.0, 0.0))
    # the bore, and the short piece of the drilled hole through the wall of 3 mm
    extra = volume(fluid.part.shape) - np.pi * 49 * 60
    assert 0.8 < extra / (np.pi * 4 * 3) < 1.2


def test_a_cap_on_a_saddle_shaped_rim_does_not_bulge():
    from intaglio.cad.capping import cap_face, flush_face
    from intaglio.cad.domain import edges_of, inner_wires

    part = Part(cut(pipe(), cylinder((30, 3, 4), (0, 3, 4), 2.0, 10)), "mm")
    sides = [f for f in part.faces if not np.isclose(np.ptp(bounds(f), axis=0)[0], 0, atol=1e-6)]
    rims = [(f, w) for f in sides for w in inner_wires(f)]
    assert len(rims) == 2
    for face, wire in rims:
        edges = [part.edges[e] for e in edges_of(part, wire)]
        # the hole of radius 2, seen along its axis, is a circle; on the wall a little more
        assert 1.0 < area(cap_face(edges)) / (np.pi * 4) < 1.03
        flush = flush_face(edges, face)
        assert flush is not None and 1.0 < area(flush) / (np.pi * 4) < 1.05


def _hollow():
    return _part(cut(box(0, 0, 0, 10, 10, 10), box(3, 3, 3, 7, 7, 7)))


def test_cavities_outlive_repairs():
    split, _ = repair.split_by_plane(_hollow(), [5, 0, 0], [1, 0, 0], set())
    assert len(split.solids) == 1 and volume(split.shape) == pytest.approx(1000 - 64)
    turned, count = repair.unified_normals(_part(_hollow().bodies[0].Reversed()))
    assert count == 1 and len(turned.solids) == 1
    assert volume(turned.shape) == pytest.approx(1000 - 64)


def test_uniting_solids_keeps_the_sheets_beside_them():
    sheet = sheet_of([Part(box(50, 0, 0, 59, 9, 1), "mm").faces[5]])
    part, _ = repair.united(_part(box(0, 0, 0, 4, 4, 4), box(2, 0, 0, 6, 4, 4), sheet))
    assert len(part.bodies) == 2 and len(part.solids) == 1
