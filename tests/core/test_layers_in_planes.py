"""Plane polygons with holes and nodes within: every triangle once, the rim as it was given."""

import numpy as np
import pytest

from intaglio.layers.plane import near, smoothed, triangulated, within


def _ring(radius, count, turn=1, at=(0.0, 0.0)):
    angle = turn * 2 * np.pi * np.arange(count) / count
    return np.column_stack([np.cos(angle), np.sin(angle)]) * radius + np.array(at)


def _edges(first, count):
    own = np.arange(count)
    return np.stack([own + first, (own + 1) % count + first], axis=1)


def _area(points, rows):
    a, b, c = (points[rows[:, i]] for i in range(3))
    u, v = b - a, c - a
    return 0.5 * (u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])


def _rim(rows):
    half = rows[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    code = {tuple(e) for e in half.tolist()}
    assert len(code) == len(half)
    return {e for e in code if e[::-1] not in code}


@pytest.mark.parametrize("seed", range(6))
def test_a_disc_with_a_hole_and_random_nodes(seed):
    rng = np.random.default_rng(seed)
    outer, hole = _ring(10, 60), _ring(3, 20, -1, (2.0, 1.0))
    spots = rng.uniform(-10, 10, (150, 2))
    points = np.concatenate([outer, hole, spots])
    edges = np.concatenate([_edges(0, 60), _edges(60, 20)])
    inner = 80 + np.flatnonzero(within(spots, points, edges) & ~near(spots, points, edges, 0.3))
    rows = triangulated(points, edges, inner)
    assert _rim(rows) == {tuple(e) for e in edges.tolist()}
    area = _area(points, rows)
    whole = 0.5 * 60 * 100 * np.sin(2 * np.pi / 60) - 0.5 * 20 * 9 * np.sin(2 * np.pi / 20)
    assert (area > 0).all() and area.sum() == pytest.approx(whole)
    assert np.isin(inner, rows).all()
    moved = smoothed(points, rows, inner)
    fixed = np.setdiff1d(np.arange(len(points)), inner)
    assert np.array_equal(moved[fixed], points[fixed])
    assert _area(moved, rows).min() > 0


def test_straight_rims_leave_no_triangles_without_an_area():
    n = 37
    side = np.linspace(0, 1, n, endpoint=False)
    turn = np.radians(31.0)
    square = np.concatenate(
        [
            np.column_stack([side, 0 * side]),
            np.column_stack([0 * side + 1, side]),
            np.column_stack([1 - side, 0 * side + 1]),
            np.column_stack([0 * side, 1 - side]),
        ]
    ) @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    edges = _edges(0, len(square))
    rows = triangulated(square, edges, np.zeros(0, np.int64))
    assert _rim(rows) == {tuple(e) for e in edges.tolist()}
    assert _area(square, rows).sum() == pytest.approx(1.0)


def test_edges_that_no_delaunay_triangulation_has_are_made():
    # a thin tongue between two rims: nodes of one lie within the circles over the other's edges
    upper = np.column_stack([np.linspace(10, 0, 5), np.full(5, 0.3)])
    lower = np.column_stack([np.linspace(0, 10, 14), np.zeros(14)])
    points = np.concatenate([lower, upper])
    edges = _edges(0, len(points))
    rows = triangulated(points, edges, np.zeros(0, np.int64))
    assert _rim(rows) == {tuple(e) for e in edges.tolist()}
    assert _area(points, rows).sum() == pytest.approx(3.0)


def test_a_polygon_that_crosses_itself_is_refused():
    bow = np.array([[0.0, 0], [1, 1], [1, 0], [0, 1]])
    assert triangulated(bow, _edges(0, 4), np.zeros(0, np.int64)) is None
