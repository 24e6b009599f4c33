"""Faults of facets: each found with its count, size and place, none invented on sound ones."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from intaglio.facets.diagnosis import diagnose
from intaglio.facets.part import joined, kept
from intaglio.facets.welding import welded
from intaglio.numeric.winding import winding_numbers
from intaglio.triangles.edges import edge_table
from tests.core.scans import (
    as_trimesh,
    fine_box,
    flipped,
    gapped,
    holed,
    part_of,
    soup,
    sphere,
)


def _codes(part):
    return {f.code: f for f in diagnose(part).findings}


SOUND = {
    "sphere": lambda: sphere(),
    "box": lambda: part_of(trimesh.creation.box((1, 2, 3))),
    "torus": lambda: part_of(trimesh.creation.torus(5.0, 1.5)),
    "pipe": lambda: part_of(trimesh.creation.annulus(3.0, 4.0, 20.0)),
    "cylinder": lambda: part_of(trimesh.creation.cylinder(2.0, 9.0)),
    "two apart": lambda: joined([sphere(), sphere(at=(30, 0, 0))]),
    "hollow": lambda: joined(
        [sphere(), replace(sphere(4.0), triangles=sphere().triangles[:, ::-1].copy())]
    ),
    "far away": lambda: sphere(at=(1e5, 0, 0)),
    "tiny": lambda: sphere(1e-6),
}


@pytest.mark.parametrize("name", SOUND)
def test_nothing_is_invented_on_sound_facets(name):
    told = diagnose(SOUND[name]())
    assert told.closed
    assert [f.code for f in told.findings] == []
    assert len(told.free_lines) == len(told.branch_lines) == 0


def test_a_soup_is_welded_to_the_same_topology():
    whole = sphere()
    again = welded(soup(whole))
    assert len(again.points) == len(whole.points)
    assert as_trimesh(again).is_watertight
    assert as_trimesh(again).volume == pytest.approx(as_trimesh(whole).volume, rel=1e-14)


def test_edges_agree_with_trimesh():
    part = holed(sphere(), (0, 0, 10), 4.0)
    table = edge_table(part.triangles)
    mesh = as_trimesh(part)
    assert len(table.nodes) == len(mesh.edges_unique)
    singles = trimesh.grouping.group_rows(mesh.edges_sorted, require_count=1)
    assert int((table.uses == 1).sum()) == len(singles)


def test_a_hole_is_measured_and_placed():
    part = holed(holed(sphere(fine=4), (0, 0, 10), 3.0), (10, 0, 0), 1.5)
    found = _codes(part)
    assert set(found) == {"holes"} and found["holes"].count == 2
    # the rim of a cap of 3 mm on a sphere of 10 mm, to an edge length
    assert found["holes"].size == pytest.approx(2 * 3.0 * np.sqrt(1 - 0.15**2), rel=0.1)
    assert found["holes"].places[0] == pytest.approx([0, 0, 9.55], abs=0.3)
    assert [r["operation"]["do"] for r in found["holes"].repairs] == ["cap", "cap"]


@pytest.mark.parametrize("width", [0.02, 0.1, 0.3])
def test_a_gap_is_one_finding_with_its_width(width):
    found = _codes(gapped(fine_box(), width))
    assert set(found) == {"gaps"} and found["gaps"].count == 1
    assert found["gaps"].size == pytest.approx(width, rel=1e-6)
    assert sum(found["gaps"].histogram["count"]) > 10
    offer = found["gaps"].repairs[0]
    assert width < offer["operation"]["tolerance"] < 2 * width


def test_two_holes_side_by_side_are_no_gap():
    part = holed(holed(sphere(fine=5), (0, -1.5, 9.89), 1.0), (0, 1.5, 9.89), 1.0)
    found = _codes(part)
    assert set(found) == {"holes"} and found["holes"].count == 2


def test_triangles_the_wrong_way_round_are_counted():
    found = _codes(flipped(sphere(), np.arange(40, 47)))
    assert set(found) == {"mixed-normals"} and found["mixed-normals"].count == 7
    inside_out = replace(sphere(), triangles=sphere().triangles[:, ::-1].copy())
    assert set(_codes(inside_out)) == {"inverted"}


def test_copies_are_told_once():
    extra = joined([sphere(), kept(sphere(), np.arange(len(sphere().triangles)) < 5)])
    found = _codes(welded(extra))
    assert set(found) == {"duplicate-faces"} and found["duplicate-faces"].count == 5
    twice = joined([sphere(), sphere(at=(1e-8, 0, 0))])
    assert "duplicate-bodies" in _codes(twice)


def test_branching_edges_are_counted():
    box = part_of(trimesh.creation.box((2, 2, 2)))
    a, b = np.flatnonzero((box.points == [1, 1, -1]).all(axis=1) | (box.points == [1, 1, 1]).all(1))
    points = np.concatenate([box.points, [[3.0, 3.0, 0.0]]])
    fin = np.array([[a, b, len(points) - 1]], np.int32)
    none = np.zeros(len(box.triangles) + 1, np.int32)
    part = replace(
        box, points=points, triangles=np.concatenate([box.triangles, fin]), region=none, body=none
    )
    found = _codes(part)
    assert found["branching-edges"].count == 1
    assert found["branching-edges"].size == pytest.approx(2.0)


def test_bodies_that_overlap_lie_inside_or_are_loose():
    assert set(_codes(joined([sphere(), sphere(at=(7, 1, 2))]))) == {"overlapping-bodies"}
    # exactly mirrored: edges meet edges
    assert set(_codes(joined([sphere(), sphere(at=(5, 0, 0))]))) == {"overlapping-bodies"}
    inside = _codes(joined([sphere(), sphere(3.0, at=(1, 0, 0))]))
    assert set(inside) == {"body-inside"} and inside["body-inside"].places[0][0] == pytest.approx(1)
    loose = _codes(joined([sphere(), sphere(0.2, at=(15, 0, 0))]))
    assert set(loose) == {"loose-pieces"}


def test_a_body_that_only_looks_out_a_little_is_not_inside():
    found = _codes(joined([sphere(), part_of(trimesh.creation.box((1, 1, 19.9)))]))
    assert "body-inside" not in found and "overlapping-bodies" in found


def test_a_surface_through_itself_is_found():
    part = sphere()
    points = part.points.copy()
    low = np.linalg.norm(points - [0, 0, 10], axis=1) < 4
    points[low] -= [0, 0, 25]  # the cap pushed out through the other side
    assert "self-crossing" in _codes(replace(part, points=points))


def test_spikes_slivers_and_flat_triangles():
    points = sphere().points.copy()
    points[100] *= 1.7
    assert set(_codes(replace(sphere(), points=points))) == {"spikes"}
    box = part_of(trimesh.creation.box((10, 10, 10)))
    middle = np.array([0.0, 0.0, 5.0])
    near = np.array([-5.0 + 1e-5, 0.0, 5.0])
    top = np.flatnonzero((box.points[box.triangles][:, :, 2] == 5).all(axis=1))
    kept_, t = np.setdiff1d(np.arange(12), top[:1]), box.triangles[top[0]]
    # one top triangle cut with a node a hair from its side
    n = len(box.points)
    del middle
    fan = np.array([[t[0], t[1], n], [t[1], t[2], n], [t[2], t[0], n]], np.int32)
    side = 0.5 * (box.points[t[0]] + box.points[t[1]])
    inward = box.points[t[2]] - side
    near = side + 1e-5 * inward / np.linalg.norm(inward)
    none = np.zeros(14, np.int32)
    part = replace(
        box,
        points=np.concatenate([box.points, [near]]),
        triangles=np.concatenate([box.triangles[kept_], fan]),
        region=none,
        body=none,
    )
    assert set(_codes(part)) == {"slivers"}


def test_thin_walls_and_narrow_gaps_are_noted_with_the_least():
    plate = part_of(trimesh.creation.box((100, 50, 0.1)).subdivide_to_size(8.0))
    found = _codes(plate)
    assert set(found) == {"thin-walls"} and found["thin-walls"].size == pytest.approx(0.1, rel=1e-3)
    two = joined([fine_box(edge=4.0), replace(fine_box(edge=4.0))])
    shifted = two.points.copy()
    shifted[len(fine_box(edge=4.0).points) :] += [0, 0, 6.02]
    found = _codes(replace(two, points=shifted))
    assert found["narrow-gaps"].size == pytest.approx(0.02, rel=1e-3)


def test_winding_numbers_against_where_the_points_are():
    part = sphere(fine=4)
    rng = np.random.default_rng(2)
    spots = rng.uniform(-14, 14, (400, 3))
    r = np.linalg.norm(spots, axis=1)
    clear = np.abs(r - 10) > 0.1
    wound = winding_numbers(part.points, part.triangles, spots[clear])
    np.testing.assert_allclose(wound, np.where(r[clear] < 10, 1.0, 0.0), atol=1e-9)
