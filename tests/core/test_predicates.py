"""Exact signs against rational arithmetic, on input made to be degenerate."""

from fractions import Fraction

import numpy as np
import pytest

from intaglio.numeric.expansions import add, difference, multiply
from intaglio.numeric.predicates import insphere, orient2d, orient3d


def _rational(points):
    return [[Fraction(float(x)) for x in row] for row in points]


def _det3(a, b, c):
    return (
        a[0] * (b[1] * c[2] - b[2] * c[1])
        - a[1] * (b[0] * c[2] - b[2] * c[0])
        + a[2] * (b[0] * c[1] - b[1] * c[0])
    )


def _sign(x):
    return (x > 0) - (x < 0)


def _orient(points):
    p = _rational(points)
    return _sign(_det3(*[[p[i][k] - p[0][k] for k in range(3)] for i in (1, 2, 3)]))


def _inside(points):
    """The lifted determinant of the textbook, in rational numbers."""
    p = _rational(points)
    rows = [[p[i][k] - p[4][k] for k in range(3)] for i in range(4)]
    lift = [sum(x * x for x in r) for r in rows]
    total = (
        lift[0] * _det3(rows[1], rows[2], rows[3])
        - lift[1] * _det3(rows[0], rows[2], rows[3])
        + lift[2] * _det3(rows[0], rows[1], rows[3])
        - lift[3] * _det3(rows[0], rows[1], rows[2])
    )
    return _sign(total)


def _families(rng):
    yield rng.integers(0, 3, (5, 3)).astype(float)  # structured: co-planar, co-spherical
    yield rng.integers(0, 3, (5, 3)) * 0.1 + 1e-16 * rng.integers(0, 3, (5, 3))  # nearly flat
    sphere = rng.normal(size=(5, 3))
    yield sphere / np.linalg.norm(sphere, axis=1)[:, None] + 5.0  # nearly co-spherical
    yield 1e-9 * (rng.integers(0, 4, (5, 3)) + 1e-7 * rng.normal(size=(5, 3)))
    yield 1e6 + rng.integers(0, 4, (5, 3)) * 1e-3


def test_signs_are_exact_on_degenerate_input():
    rng = np.random.default_rng(0)
    zero = 0
    for _ in range(250):
        for points in _families(rng):
            assert orient3d(points, 0, 1, 2, 3) == _orient(points)
            assert insphere(points, 0, 1, 2, 3, 4) == _inside(points)
            zero += _inside(points) == 0
    assert zero > 100  # the families really are degenerate


def test_sign_conventions():
    p = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [0.2, 0.2, 0.2], [9, 9, 9]], float)
    assert orient3d(p, 0, 1, 2, 3) == 1
    assert insphere(p, 0, 1, 2, 3, 4) == 1
    assert insphere(p, 0, 1, 2, 3, 5) == -1
    assert orient2d(0.0, 0.0, 1.0, 0.0, 0.0, 1.0) == 1


@pytest.mark.parametrize("shift", [0.0, 2.0**-53, -(2.0**-53)])
def test_orient2d_near_a_line(shift):
    assert orient2d(0.5 + shift, 0.5, 12.0, 12.0, 24.0, 24.0) == _sign(-shift)


def test_expansions_are_exact():
    a, b, c, d = 0.1, 3e-17, 7e11, 1 / 3
    total = add(difference(a, b), difference(c, d))
    exact = Fraction(a) - Fraction(b) + Fraction(c) - Fraction(d)
    assert sum(Fraction(float(x)) for x in total) == exact
    product = multiply(total, difference(b, d))
    assert sum(Fraction(float(x)) for x in product) == exact * (Fraction(b) - Fraction(d))
