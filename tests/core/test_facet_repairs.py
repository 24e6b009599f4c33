"""Repairs of facets: what is broken closes, with volumes that trimesh and closed forms confirm."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from intaglio.errors import StepFailed
from intaglio.facets import repair
from intaglio.facets.booleans import combined
from intaglio.facets.diagnosis import diagnose
from intaglio.facets.features import feature_curves, meshing_input, split_by_angle
from intaglio.facets.motion import mirrored, moved, rotated, scaled, split_plane
from intaglio.facets.part import joined, kept
from intaglio.facets.welding import sewn, welded
from intaglio.triangles.edges import edge_table
from tests.core.scans import as_trimesh, fine_box, flipped, gapped, holed, sphere


def _sound(part) -> trimesh.Trimesh:
    told = diagnose(part)
    assert told.closed, [f.code for f in told.findings]
    mesh = as_trimesh(part)
    assert mesh.is_watertight and mesh.is_winding_consistent
    return mesh


@pytest.mark.parametrize("shape", ["flat", "smooth"])
def test_holes_are_capped(shape):
    broken = holed(holed(sphere(fine=4), (0, 0, 10), 3.0), (10, 0, 0), 1.5)
    part, count = repair.cap_holes(broken, shape, 0, 0)
    whole = as_trimesh(sphere(fine=4)).volume
    assert count == 2
    error = abs(_sound(part).volume / whole - 1)
    # a flat cap loses the spherical one: π h² (3R - h) / 3; a smooth one brings most of it back
    h = 10 - np.sqrt(100 - 3.0**2)
    lost = np.pi * h**2 * (30 - h) / 3 / whole
    assert error == pytest.approx(lost, rel=0.5) if shape == "flat" else error < 0.15 * lost


def test_only_holes_in_the_limits_are_capped():
    broken = holed(holed(sphere(fine=4), (0, 0, 10), 3.0), (10, 0, 0), 1.5)
    part, count = repair.cap_holes(broken, "flat", 0.0, 4.0)
    assert count == 1
    (left,) = diagnose(part).findings
    assert left.code == "holes" and left.count == 1 and left.size > 4


def test_a_cap_of_a_concave_flat_hole_covers_exactly_its_area():
    # an L-shaped hole in a plane: any overlapping triangulation would have more area
    outline = np.array([[0, 0, 0], [4, 0, 0], [4, 1, 0], [1, 1, 0], [1, 3, 0], [0, 3, 0]], float)
    from intaglio.facets.capping import cap_triangles

    cap = cap_triangles(outline, np.arange(6), np.zeros((6, 6), bool))
    assert trimesh.Trimesh(outline, cap, process=False).area == pytest.approx(6.0, rel=1e-12)


@pytest.mark.parametrize("width", [0.02, 0.3])
def test_gaps_are_sewn(width):
    part, count = sewn(gapped(fine_box(), width), 1.3 * width)
    assert count > 10
    assert _sound(part).volume == pytest.approx((20 + width) * 60, rel=2e-3)


def test_unlike_edges_on_both_sides_of_a_gap_are_sewn():
    fine, coarse = fine_box(edge=1.0), fine_box(edge=3.0)
    right = fine.points[fine.triangles].mean(axis=1)[:, 0] > 0
    left = coarse.points[coarse.triangles].mean(axis=1)[:, 0] < 0
    a, b = kept(fine, right), kept(coarse, left)
    part, _ = sewn(joined([replace(a, points=a.points + np.array([0.05, 0, 0])), b]), 0.08)
    assert _sound(part).volume == pytest.approx(1200, rel=5e-3)


def test_sewing_leaves_fine_detail_elsewhere_alone():
    part = gapped(fine_box(), 0.3)
    sewn_part, _ = sewn(part, 0.4)
    detail = joined([part, sphere(0.05, at=(0, 30, 0))])
    again, _ = sewn(detail, 0.4)
    assert len(again.triangles) == len(sewn_part.triangles) + len(sphere().triangles)


def test_normals_are_unified():
    broken = flipped(sphere(), np.arange(40, 140))
    part, count = repair.unify_normals(broken)
    assert count == 100
    assert _sound(part).volume == pytest.approx(as_trimesh(sphere()).volume, rel=1e-12)
    part, count = repair.unify_normals(flipped(sphere(), np.arange(len(sphere().triangles))))
    assert count == len(sphere().triangles) and _sound(part).volume > 0


def test_a_cavity_stays_a_cavity():
    inner = replace(sphere(4.0), triangles=sphere().triangles[:, ::-1].copy())
    part, count = repair.unify_normals(joined([sphere(), inner]))
    assert count == 0
    ratio = as_trimesh(sphere(4.0)).volume / as_trimesh(sphere()).volume
    assert _sound(part).volume == pytest.approx(as_trimesh(sphere()).volume * (1 - ratio), rel=1e-9)


def test_copies_and_what_lies_inside_go():
    part, count = repair.drop_duplicates(welded(joined([sphere(), sphere()])))
    assert count == len(sphere().triangles)
    _sound(part)
    part, _ = repair.drop_duplicates(joined([sphere(), sphere(at=(1e-8, 0, 0))]))
    _sound(part)
    part, count = repair.drop_inside(joined([sphere(), sphere(3.0)]))
    assert count == 1 and len(part.triangles) == len(sphere().triangles)
    part, count = repair.drop_pieces(joined([sphere(), sphere(0.2, at=(15, 0, 0))]), 1.0)
    assert count == 1 and len(_sound(part).faces) == len(sphere().triangles)


def test_spikes_are_cut_off_and_crossings_cut_out():
    points = sphere().points.copy()
    points[100] *= 1.7
    part, count = repair.drop_spikes(replace(sphere(), points=points))
    assert count == 1
    assert _sound(part).volume == pytest.approx(as_trimesh(sphere()).volume, rel=5e-3)
    part = sphere(fine=4)
    points = part.points.copy()
    low = np.linalg.norm(points - [0, 0, 10], axis=1) < 0.8
    points[low] = points[low] * [-1, -1, 1]  # a patch of the skin turned by half
    twisted = replace(part, points=points)
    assert not diagnose(twisted).closed
    mended, count = repair.untangle(twisted)
    assert count > 0
    assert _sound(mended).volume == pytest.approx(as_trimesh(part).volume, rel=5e-3)


def test_slivers_go_without_a_hole():
    part = sphere()
    a, b = part.triangles[7, :2]
    points = part.points.copy()
    points[b] = points[a] + 1e-7
    mended, count = repair.drop_slivers(replace(part, points=points), 1e-4)
    assert count == 2
    assert as_trimesh(mended).is_watertight


@pytest.mark.slow
def test_union_agrees_with_the_lens_formula():
    a, b = sphere(fine=4), sphere(fine=4, at=(7.0, 1.0, 2.0))
    part, count = repair.union(joined([a, b]))
    d, r = np.sqrt(54.0), 10.0
    lens = np.pi * (4 * r + d) * (2 * r - d) ** 2 / 12
    assert count == 2
    assert _sound(part).volume == pytest.approx(2 * 4 / 3 * np.pi * 1000 - lens, rel=6e-3)
    with pytest.raises(StepFailed) as caught:
        repair.union(joined([holed(a, (0, 0, 10), 3), b]))
    assert caught.value.code == "open-body" and caught.value.places


def test_booleans_carry_the_regions():
    box = fine_box(edge=4.0)
    ball = sphere(2.0, at=(0, 0, 3))
    tag = np.zeros(len(box.triangles), np.int32)
    points, triangles, origin = combined(
        (box.points, box.triangles, tag),
        (ball.points, ball.triangles, np.ones(len(ball.triangles), np.int32)),
        "difference",
    )
    dent = np.linalg.norm(points[triangles].mean(axis=1) - [0, 0, 3], axis=1) < 2.05
    np.testing.assert_array_equal(origin == 1, dent & (points[triangles][:, :, 2].min(1) < 2.999))
    half_ball = as_trimesh(ball).volume / 2
    mesh = trimesh.Trimesh(points, triangles)
    assert mesh.is_watertight and mesh.volume == pytest.approx(1200 - half_ball, rel=1e-6)


def test_regions_by_angle_have_the_faces_areas():
    split = split_by_angle(fine_box(), 40.0)
    areas = sorted(
        as_trimesh(kept(split, split.region == k)).area for k in range(len(split.region_names))
    )
    assert areas == pytest.approx([60, 60, 120, 120, 200, 200])
    assert split.region_names[0].startswith("part")
    assert len(split_by_angle(sphere(), 40.0).region_names) == 1
    curves = feature_curves(split.points, split.triangles, split.region)
    assert len(curves.ends) == 12  # the edges of a box
    lengths = np.sort(curves.arc[curves.start[1:] - 1])
    assert lengths == pytest.approx(np.repeat([6.0, 10.0, 20.0], 4))


def test_curvature_of_a_ball():
    facets, curves = meshing_input(sphere(fine=4))
    assert np.median(facets.curvature) == pytest.approx(0.1, rel=0.05)
    assert len(curves.ends) == 0


def test_a_plane_splits_a_region_and_keeps_it_closed():
    part, more = split_plane(sphere(fine=4), [0, 0, 2.5], [0, 0, 1], set())
    assert more == 1
    _sound(part)
    cap = as_trimesh(kept(part, part.region == 1)).area
    assert cap == pytest.approx(2 * np.pi * 10 * 7.5, rel=3e-3)  # Archimedes' hat-box


def test_motions_against_closed_forms():
    part = fine_box(edge=5.0)
    assert as_trimesh(scaled(part, 3.0)[0]).volume == pytest.approx(27 * 1200)
    turned = rotated(part, [0, 0, 0], [0, 0, 2], 90.0)[0]
    assert np.ptp(turned.points, axis=0) == pytest.approx([10, 20, 6])
    assert moved(part, [1, 2, 3])[0].points.mean(axis=0) == pytest.approx(
        part.points.mean(axis=0) + np.array([1, 2, 3])
    )
    other = mirrored(part, [10, 0, 0], [2, 0, 0])[0]
    assert as_trimesh(other).volume == pytest.approx(1200)
    assert other.points[:, 0].min() == pytest.approx(10)


def test_only_what_lies_across_a_hole_is_linked():
    """Sides of the loop, the closing one too, are none of its diagonals."""
    loop = np.arange(4)
    fans = [[a, (a + 1) % 4, 4] for a in range(4)] + [[0, 2, 5]]
    linked = repair._linked(edge_table(np.array(fans, np.int32)), loop)
    assert np.argwhere(linked).tolist() == [[0, 2], [2, 0]]
