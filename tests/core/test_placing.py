"""Inner points: lattices where the size is even, layers of regular tetrahedra on the surface."""

import numpy as np
import pytest
from scipy.spatial import Delaunay

from intaglio.quality.cells import equiangle_skewness, tet_volumes
from intaglio.sizing.octree import build_field, spreads
from intaglio.volume.lattice import is_even, nearest_sites, settled, shaken
from tests.core.shapes import box, run, source

LOW, HIGH = np.zeros(3), np.ones(3)


def _even(size: float):
    return build_field(np.array([[0.5, 0.5, 0.5]]), np.array([size]), size, 1.2, LOW, HIGH)


def test_nearest_sites_against_all_sites():
    rng = np.random.default_rng(4)
    spots = rng.uniform(0.3, 0.7, (200, 3))
    side = 0.1
    k = np.stack(np.meshgrid(*[np.arange(-1, 12)] * 3), -1).reshape(-1, 3) * side
    sites = np.concatenate([k, k + side / 2])
    found = nearest_sites(spots, np.full(len(spots), side), np.zeros(3))
    best = np.linalg.norm(spots[:, None] - sites[None], axis=2).min(axis=1)
    # the nearer of the nearest corner and the nearest middle
    assert np.linalg.norm(found - spots, axis=1) == pytest.approx(best)


def test_tetrahedra_of_the_lattice_are_all_alike():
    field = _even(0.1)
    rng = np.random.default_rng(2)
    spots = rng.random((40_000, 3))
    moved, even = settled(spots, np.full(len(spots), 0.1), field)
    assert even.all()
    sites = np.unique(moved, axis=0)
    tets = Delaunay(sites).simplices.astype(np.int32)
    turned = tet_volumes(sites, tets) < 0
    tets[turned] = tets[turned][:, [1, 0, 2, 3]]
    inner = ((sites[tets] > 0.2) & (sites[tets] < 0.8)).all(axis=(1, 2))
    # dihedral angles of 60 and 90 degrees: (90 - 70.53) / (180 - 70.53)
    assert equiangle_skewness(sites, tets[inner]) == pytest.approx(0.17785, abs=1e-4)


def test_a_graded_field_is_left_alone():
    field = build_field(np.array([[0.5, 0.5, 0.5]]), np.array([0.02]), 1.0, 1.3, LOW, HIGH)
    spots = np.random.default_rng(1).random((100, 3))
    moved, even = settled(spots, np.full(100, 0.1), field)
    assert (even == is_even(spots, field)).all() and not even.all()
    assert (moved[~even] == spots[~even]).all()
    assert (spreads(field, spots)[~even] >= 0.02).all()


def test_shaking_is_small_and_always_the_same():
    field = _even(0.1)
    spots = np.random.default_rng(1).random((50, 3))
    even = np.arange(50) < 25
    once, again = shaken(spots, even, field), shaken(spots, even, field)
    assert (once == again).all() and (once[25:] == spots[25:]).all()
    assert 0 < np.abs(once - spots).max() <= 1e-5


@pytest.mark.parametrize("size, mean", [(0.12, 0.29), (0.07, 0.25)])
def test_even_boxes_are_mostly_lattice(size, mean, tmp_path):
    given = {"domain": {"where": "as-is"}, "sizing": {"smallest": size, "largest": size}}
    states, _ = run(source(box(0, 0, 0, 2, 2, 1), tmp_path), "volume", given)
    quality = states["volume"].report["quality"]
    assert quality["equiangle_skewness"]["mean"] < mean
    assert quality["smallest_dihedral"]["min"] > 18
