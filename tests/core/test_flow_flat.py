"""Directions in which neighbours lie too flat to tell a slope."""

import numpy as np

from intaglio.flow.operators import inverted


def test_a_direction_with_too_small_a_moment_has_no_inverse():
    moment = np.array([[2.0, 0, 0, 0.05, 0, 1.0]])
    np.testing.assert_allclose(inverted(moment), [[0.5, 0, 0, 20.0, 0, 1.0]])
    np.testing.assert_allclose(inverted(moment, 0.1), [[0.5, 0, 0, 0.0, 0, 1.0]])
