"""The Delaunay kernel against the standard library's, and on degenerate points."""

import numpy as np
import pytest
from scipy.spatial import Delaunay

from intaglio.quality.cells import tet_volumes
from intaglio.volume.delaunay import AllCoplanar, delaunay


def _as_set(tets):
    return set(map(tuple, np.sort(tets, axis=1).tolist()))


@pytest.mark.parametrize("seed", range(4))
def test_same_tetrahedra_as_the_standard_routine(seed):
    points = np.random.default_rng(seed).random((3000, 3))
    assert _as_set(delaunay(points)) == _as_set(Delaunay(points).simplices)


def _grid(n):
    return np.stack(np.meshgrid(*[np.arange(float(n))] * 3), -1).reshape(-1, 3)


@pytest.mark.parametrize("scale, shift", [(1.0, 0.0), (1e-9, 0.0), (1.0, 1e6)])
def test_structured_points_fill_their_box(scale, shift):
    points = _grid(9) * scale + shift
    tets = delaunay(points)
    volumes = tet_volumes(points, tets)
    assert (volumes > 0).all()
    assert volumes.sum() == pytest.approx((8 * scale) ** 3, rel=1e-6)
    assert set(tets.ravel()) == set(range(len(points)))


def test_points_on_a_sphere():
    points = np.random.default_rng(3).normal(size=(800, 3))
    points /= np.linalg.norm(points, axis=1)[:, None]
    tets = delaunay(points)
    volumes = tet_volumes(points, tets)
    assert (volumes > 0).all()
    assert set(tets.ravel()) == set(range(800))


def test_duplicates_are_left_out():
    points = np.random.default_rng(5).random((200, 3))
    doubled = np.concatenate([points, points[:50]])
    assert tet_volumes(doubled, delaunay(doubled)).sum() == pytest.approx(
        tet_volumes(points, delaunay(points)).sum()
    )


def test_points_in_a_plane_are_refused():
    points = np.zeros((10, 3))
    points[:, :2] = np.random.default_rng(1).random((10, 2))
    with pytest.raises(AllCoplanar):
        delaunay(points)
