"""Rooms and passages of any triangles: widths against closed forms, whatever state they are in."""

import manifold3d
import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree

from intaglio.rooms.reach import reached, widest_ways
from intaglio.rooms.refining import space_around
from intaglio.rooms.samples import surface_samples
from intaglio.rooms.space import space_between

SIDE = 1.0
# z = 0.5 becomes x = -0.5
ASIDE = trimesh.transformations.rotation_matrix(-np.pi / 2, [0, 1, 0])


def _plate(hole: np.ndarray) -> trimesh.Trimesh:
    """The square of a side at z = 0.5 with a hole, corners (k, 2) counter-clockwise, in it."""
    half = SIDE / 2
    square = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    rows = np.asarray(manifold3d.triangulate([square, hole[::-1]]))
    flat = np.concatenate([square, hole[::-1]])
    return trimesh.Trimesh(np.column_stack([flat, np.full(len(flat), half)]), rows, process=False)


def _box_with(hole: np.ndarray) -> trimesh.Trimesh:
    """A box whose top has a hole."""
    whole = trimesh.creation.box((SIDE, SIDE, SIDE))
    rest = trimesh.Trimesh(whole.vertices, whole.faces[whole.face_normals[:, 2] < 0.5])
    return trimesh.util.concatenate([rest, _plate(hole)])


def _ring(radius: float, corners: int) -> np.ndarray:
    at = np.linspace(0, 2 * np.pi, corners, endpoint=False)
    return radius * np.column_stack([np.cos(at), np.sin(at)])


def _widths(mesh: trimesh.Trimesh, spacing: float, least: float) -> list[float]:
    made = surface_samples(mesh.vertices, mesh.faces.astype(np.int32), spacing)
    ways = widest_ways(space_between(made.points), least)
    return [float(2 * ways.radius[k]) for k in ways.passages]


HOLES = {
    "round": (_ring(0.08, 64), 0.16),
    "square": (0.06 * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]), 0.12),
    # the circle in a triangle of side a: a / √3 wide
    "triangle": (_ring(0.1, 3), 0.1),
    "slot": (np.array([[-0.4, -0.05], [0.4, -0.05], [0.4, 0.05], [-0.4, 0.05]]), 0.1),
}


@pytest.mark.parametrize("hole", HOLES)
def test_a_hole_is_as_wide_as_the_ball_that_passes(hole):
    corners, width = HOLES[hole]
    found = _widths(_box_with(corners), 0.025, 0.05)
    assert len(found) == 1 and found[0] == pytest.approx(width, rel=0.05)


def test_the_closer_the_points_the_nearer_the_width():
    """What is told too wide falls with the square of the spacing."""
    corners, width = HOLES["slot"]
    over = [_widths(_box_with(corners), s, 0.05)[0] / width - 1 for s in (0.06, 0.03, 0.015)]
    assert 0 < over[2] < over[1] < over[0] < 0.2 and over[2] < 0.02


@pytest.mark.parametrize(
    "broken",
    [
        lambda m: trimesh.Trimesh(m.vertices, m.faces[:, ::-1], process=False),
        lambda m: trimesh.util.concatenate([m, m]),
        lambda m: trimesh.util.concatenate([m, m.copy().apply_scale(0.999)]),
        lambda m: trimesh.Trimesh(m.vertices[m.faces].reshape(-1, 3),
                                  np.arange(3 * len(m.faces)).reshape(-1, 3), process=False),
    ],
    ids=["turned", "twice", "doubled skin", "unconnected"],
)  # fmt: skip
def test_so_it_is_of_broken_surfaces(broken):
    corners, width = HOLES["round"]
    found = _widths(broken(_box_with(corners)), 0.025, 0.05)
    assert len(found) == 1 and found[0] == pytest.approx(width, rel=0.05)


def test_a_closed_box_has_a_room_that_nothing_reaches():
    """But through the skin, between the points: that is how wide a ball must be to be held off."""
    (found,) = _widths(trimesh.creation.box((1, 1, 1)), 0.03, 0.1)
    assert found < 2 * 0.03


def test_rooms_in_a_row_have_the_widths_of_their_passages():
    """Three boxes beside each other, joined by holes of other widths, the first open above."""
    boxes, wide = [], (0.2, 0.14, 0.08)
    for k in range(3):
        side = _plate(_ring(wide[k] / 2, 48)).apply_transform(ASIDE)
        boxes.append(side.apply_translation([k, 0, 0]))
    shell = trimesh.creation.box((3, 1, 1)).apply_translation([1, 0, 0])
    shell = trimesh.Trimesh(shell.vertices, shell.faces[shell.face_normals[:, 0] > -0.5])
    mesh = trimesh.util.concatenate([*boxes, shell])
    made = surface_samples(mesh.vertices, mesh.faces.astype(np.int32), 0.03)
    space = space_between(made.points)
    ways = widest_ways(space, 0.1)
    assert [2 * ways.radius[k] for k in ways.passages] == pytest.approx(wide, rel=0.05)
    # what gets to the middle of each from outside is what the narrowest before it lets through
    gets = reached(space, ways, space.outside)
    middle = space.points[space.tets].mean(axis=1)
    for k in range(3):
        room = (np.abs(middle - [k, 0, 0]) < 0.3).all(axis=1)
        assert 2 * gets[room].max() == pytest.approx(min(wide[: k + 1]), rel=0.05)
        assert set(ways.room[room & (space.radius > 0.2)]) == {k + 1}


def test_an_annulus_is_as_wide_as_its_gap():
    """A box whose round hole is filled by a rod but for a gap around it."""
    rod = trimesh.creation.cylinder(0.25, 2.0, sections=96).apply_translation([0, 0, 0.6])
    mesh = trimesh.util.concatenate([_box_with(_ring(0.3, 96)), rod])
    found = _widths(mesh, 0.02, 0.05)
    # the corners of the box are rooms too, parted by the rod from each other; and the rod's inside
    assert found[0] == pytest.approx(0.05, rel=0.1)
    assert found[1:4] == pytest.approx([0.25] * 3, rel=0.05)
    assert len(found) == 5 and found[4] < 2 * 0.02


THIN = {
    "slot": (np.array([[-0.4, -0.01], [0.4, -0.01], [0.4, 0.01], [-0.4, 0.01]]), 0.02),
    "round": (_ring(0.02, 48), 0.04),
}


@pytest.mark.parametrize("hole", THIN)
def test_narrow_passages_are_as_wide_where_the_skin_holds_every_ball_off(hole):
    """Whatever the points let through between them, no way that crosses the skin is one."""
    corners, width = THIN[hole]
    mesh = _box_with(corners)
    triangles = mesh.faces.astype(np.int32)
    least = 0.4 * width
    around = space_around(mesh.vertices, triangles, least)
    ways = widest_ways(around.space, least)
    (found,) = [2 * ways.radius[k] for k in ways.passages]
    assert found == pytest.approx(width, rel=0.05)


def test_no_ball_gets_through_a_skin_however_far_apart_its_points():
    mesh = trimesh.creation.box((1, 1, 1))
    least = 0.005
    around = space_around(mesh.vertices, mesh.faces.astype(np.int32), least)
    inside = (np.abs(around.space.centre) < 0.4).all(axis=1)
    assert inside.any() and not around.width[inside].any()
    # between the points alone it would get through
    space = space_between(around.space.points[around.of >= 0])
    gets = reached(space, widest_ways(space, least), space.outside)
    assert gets[(np.abs(space.centre) < 0.4).all(axis=1)].max() > least


def test_the_ways_are_the_widest_there_are():
    """Against the widest path by repeated relaxation over all faces, on random points."""
    points = np.random.default_rng(3).random((400, 3))
    space = space_between(points)
    ways = widest_ways(space, 0.01)
    got = reached(space, ways, space.outside)
    want = np.where(space.outside, space.radius, 0.0)
    t, i = np.nonzero(space.beside >= 0)
    for _ in range(len(space.tets)):
        before = want.copy()
        np.maximum.at(want, t, np.minimum(want[space.beside[t, i]], space.passing[t, i]))
        if np.array_equal(before, want):
            break
    np.testing.assert_allclose(got, want, rtol=1e-12)


def test_points_lie_on_the_surface_and_no_farther_apart():
    mesh = trimesh.creation.icosphere(2).apply_scale([1, 2, 0.3])
    made = surface_samples(mesh.vertices, mesh.faces.astype(np.int32), 0.05)
    corner = mesh.vertices[mesh.faces[made.triangle]]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    off = np.einsum("ij,ij->i", made.points - corner[:, 0], normal)
    assert np.abs(off / np.linalg.norm(normal, axis=1)).max() < 1e-12
    spots = trimesh.sample.sample_surface(mesh, 4000, seed=1)[0]
    assert cKDTree(made.points).query(spots)[0].max() < 0.05
