"""The tree of boxes against brute force and closed forms; the spatial orders."""

import numpy as np
import pytest

from intaglio.numeric.boxtree import box_tree, distances, inside_closed, nearest, ray_distances
from intaglio.numeric.order import hilbert_order, insertion_order


def _soup(n, draw):
    """Small triangles anywhere in the unit cube."""
    rng = np.random.default_rng(draw)
    points = (rng.random((n, 1, 3)) + 0.1 * rng.normal(size=(n, 3, 3))).reshape(-1, 3)
    return points, np.arange(3 * n, dtype=np.int32).reshape(n, 3)


def _closest_by_sampling(points, triangles, p, steps=60):
    """Distance to the nearest of a dense set of points on the triangles: an upper bound."""
    w = np.array([(i, j) for i in range(steps + 1) for j in range(steps + 1 - i)]) / steps
    a, b, c = (points[triangles[:, k]] for k in range(3))
    spots = a[:, None] + w[None, :, :1] * (b - a)[:, None] + w[None, :, 1:] * (c - a)[:, None]
    return np.linalg.norm(spots - p, axis=2).min()


def test_distances_are_those_of_the_nearest_points():
    points, triangles = _soup(60, 7)
    tree, out = box_tree(points, triangles), np.empty(3)
    spots = np.random.default_rng(9).uniform(-0.5, 1.5, (3000, 3))
    told = distances(tree, spots)
    for p, own in zip(spots[::50], told[::50], strict=True):
        nearest(tree, 0, p, out)
        assert own == pytest.approx(np.linalg.norm(out - p), rel=1e-12)


@pytest.mark.parametrize("draw", range(3))
def test_nearest_point_against_dense_sampling(draw):
    points, triangles = _soup(40, draw)
    tree = box_tree(points, triangles)
    out = np.empty(3)
    for p in np.random.default_rng(draw + 100).uniform(-0.5, 1.5, (25, 3)):
        t = nearest(tree, 0, p, out)
        own = np.linalg.norm(out - p)
        sampled = _closest_by_sampling(points, triangles, p)
        assert own <= sampled + 1e-12
        assert own >= sampled - 0.02
        # the point lies in the triangle that was named
        a, b, c = points[triangles[t]]
        weights = np.linalg.lstsq(np.array([a, b, c]).T, out, rcond=None)[0]
        assert weights.sum() == pytest.approx(1.0, abs=1e-6)
        assert weights.min() > -1e-6


def test_a_query_stays_in_its_group():
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 5], [1, 0, 5], [0, 1, 5]], float)
    triangles = np.array([[0, 1, 2], [3, 4, 5]], np.int32)
    tree = box_tree(points, triangles, np.array([0, 1], np.int32))
    out = np.empty(3)
    assert nearest(tree, 1, np.array([0.2, 0.2, 0.1]), out) == 1
    np.testing.assert_allclose(out, [0.2, 0.2, 5.0])


@pytest.mark.parametrize(
    "p, foot",
    [
        ((0.2, 0.3, 1.0), (0.2, 0.3, 0.0)),  # above the inside
        ((-1.0, -1.0, 0.0), (0.0, 0.0, 0.0)),  # a corner
        ((0.5, -2.0, 0.0), (0.5, 0.0, 0.0)),  # an edge
        ((1.0, 1.0, 0.0), (0.5, 0.5, 0.0)),  # the slanting edge
        ((3.0, -1.0, 2.0), (1.0, 0.0, 0.0)),
    ],
)
def test_feet_on_one_triangle(p, foot):
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], float)
    tree = box_tree(points, np.array([[0, 1, 2]], np.int32))
    out = np.empty(3)
    assert nearest(tree, 0, np.array(p), out) == 0
    np.testing.assert_allclose(out, foot, atol=1e-15)


def _octahedron_sphere(levels=4):
    points = [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]]
    faces = [
        [0, 2, 4], [2, 1, 4], [1, 3, 4], [3, 0, 4], [2, 0, 5], [1, 2, 5], [3, 1, 5], [0, 3, 5],
    ]  # fmt: skip
    p = np.array(points, float)
    t = np.array(faces, np.int32)
    for _ in range(levels):
        edges = np.sort(t[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
        unique, inverse = np.unique(edges, axis=0, return_inverse=True)
        middle = p[unique].mean(axis=1)
        middle /= np.linalg.norm(middle, axis=1)[:, None]
        m = (len(p) + inverse.reshape(-1, 3)).astype(np.int32)
        p = np.concatenate([p, middle])
        t = np.concatenate(
            [
                np.stack([t[:, 0], m[:, 0], m[:, 2]], 1),
                np.stack([t[:, 1], m[:, 1], m[:, 0]], 1),
                np.stack([t[:, 2], m[:, 2], m[:, 1]], 1),
                m,
            ]
        )
    return p, t


def test_rays_out_of_a_sphere():
    points, triangles = _octahedron_sphere()
    tree = box_tree(points, triangles)
    rng = np.random.default_rng(2)
    origins = rng.uniform(-0.4, 0.4, (200, 3))
    directions = rng.normal(size=(200, 3))
    directions /= np.linalg.norm(directions, axis=1)[:, None]
    b = np.einsum("ij,ij->i", origins, directions)
    exact = -b + np.sqrt(b * b + 1 - (origins**2).sum(axis=1))
    own = ray_distances(tree, origins, directions, np.zeros(200))
    assert (own <= exact + 1e-12).all()  # the facets are inscribed
    np.testing.assert_allclose(own, exact, rtol=0.01)
    away = ray_distances(tree, origins + 5 * directions, directions, np.zeros(200))
    assert np.isinf(away).all()


def test_inside_of_a_sphere():
    points, triangles = _octahedron_sphere()
    spots = np.random.default_rng(3).uniform(-1.2, 1.2, (2000, 3))
    radius = np.linalg.norm(spots, axis=1)
    clear = np.abs(radius - 1) > 0.01
    told = inside_closed(box_tree(points, triangles), spots, (0.3, 0.8, 0.5))
    np.testing.assert_array_equal(told[clear], radius[clear] < 1)


def test_orders_are_permutations_and_hilbert_is_local():
    points = np.random.default_rng(7).random((5000, 3))
    for order in (hilbert_order(points), insertion_order(points)):
        assert np.array_equal(np.sort(order), np.arange(5000))
    steps = np.linalg.norm(np.diff(points[hilbert_order(points)], axis=0), axis=1)
    assert steps.mean() < 0.1  # a random order steps 0.66 on average
    assert hilbert_order(np.zeros((3, 3))).tolist() == [0, 1, 2]
