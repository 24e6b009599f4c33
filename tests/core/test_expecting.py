"""What a mesh may be held against, on a cube of tetrahedra whose faults are known."""

from dataclasses import replace

import numpy as np
import pytest

from intaglio.recipe.warm import _block
from intaglio.stages.volume.expecting import AsLarge, Counted, Exactly, Within

SIDE = 3.0
NO_BACK = np.array([-1], np.int32)
# twelve triangles of the cube, outward
CORNERS = SIDE * np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
CUBE = np.array(
    [[0, 1, 3], [0, 3, 2], [4, 6, 7], [4, 7, 5], [0, 4, 5], [0, 5, 1], [2, 3, 7], [2, 7, 6],
     [0, 2, 6], [0, 6, 4], [1, 5, 7], [1, 7, 3]], np.int32,
)  # fmt: skip


def within(distance, triangles=CUBE, points=CORNERS):
    return Within(points, triangles, np.zeros(len(triangles), np.int32), distance, {"fluid": 27.0})


def moved(mesh, by):
    """The mesh with the middle of its top pushed out."""
    points = mesh.points.copy()
    k = int(np.argmin(np.linalg.norm(points - [1.0, 1.0, SIDE], axis=1)))
    points[k, 2] += by
    return replace(mesh, points=points), points[k]


@pytest.mark.parametrize("by, distance, off", [(0.0, 1e-9, 0), (0.1, 0.2, 0), (0.1, 0.05, 1)])
def test_a_mesh_keeps_within_a_distance_of_its_surface(by, distance, off):
    mesh, spot = moved(_block(3), by)
    found = within(distance).findings(mesh, None, NO_BACK)
    assert [f.code for f in found] == ["surface-off"] * off
    if off:
        # the node and the middles of the triangles around it that rise by more than that
        assert np.linalg.norm(np.array(found[0].places) - spot, axis=1).min() < 1e-12
        assert f"{distance:.3g} mm" in found[0].message


def test_a_surface_that_the_mesh_does_not_reach_is_missed():
    further = np.concatenate([CORNERS, CORNERS + np.array([SIDE + 2.0, 0, 0])])
    both = np.concatenate([CUBE, CUBE + 8]).astype(np.int32)
    (found,) = within(0.1, both, further).findings(_block(3), None, NO_BACK)
    assert found.code == "surface-off" and min(p[0] for p in found.places) > SIDE
    none = within(0.1, CUBE[:0])
    assert [f.code for f in none.findings(_block(3), None, NO_BACK)] == ["surface-off"]


def test_volumes_are_met_as_far_as_the_surface_is():
    # 54 unit² of surface, a tenth of a unit thick
    assert within(0.1).fills("fluid", 27.0 + 5.3) and not within(0.1).fills("fluid", 27.0 + 5.5)
    assert within(0.1).fills("another", 1.0)
    exact = AsLarge({"fluid": 27.0})
    assert exact.fills("fluid", 27.0 * (1 + 5e-10)) and not exact.fills("fluid", 27.0 * (1 + 2e-9))
    assert AsLarge({"fluid": 27.0}, same=False).fills("fluid", 20.0)


def test_counts_are_those_that_were_laid_out():
    mesh = _block(3)
    assert Counted(np.array([6 * 3 * 3 * 2])).findings(mesh, None, NO_BACK) == []
    assert len(Counted(np.array([120])).findings(mesh, None, NO_BACK)) == 1
    (found,) = Counted(np.array([100])).findings(mesh, None, NO_BACK)
    assert found.level == "error" and "wall has 108 faces where 100" in found.message


def test_given_triangles_are_there_exactly():
    mesh = _block(2)
    faces = np.flatnonzero(mesh.patch >= 0)
    triangles = mesh.face_nodes[mesh.face_start[faces][:, None] + np.arange(3)]
    patch, behind = np.zeros(len(faces), np.int32), np.zeros(1, np.int32)
    held = Exactly(mesh.points, triangles, patch, behind, None, {"fluid": 8.0})
    assert held.findings(mesh, None, NO_BACK) == [] and held.fills("fluid", 8.0)
    fewer = replace(held, triangles=triangles[1:], patch=patch[1:])
    assert [f.code for f in fewer.findings(mesh, None, NO_BACK)] == ["surface-lost"]
    # of a mesh that numbers its points otherwise
    order = np.random.default_rng(3).permutation(len(mesh.points))
    back = np.argsort(order)
    shuffled = replace(
        mesh,
        points=mesh.points[order],
        face_nodes=back[mesh.face_nodes].astype(np.int32),
    )
    told = replace(held, given=order.astype(np.int32))
    assert told.findings(shuffled, None, NO_BACK) == []
