"""A surface thinned for the screen."""

import numpy as np
import pytest

from intaglio.mesh.drawing import boundary_arrays
from intaglio.mesh.thinning import thinned
from tests.core import any_cells


def _area(arrays):
    p = arrays["points"][arrays["triangles"]].astype(float)
    return 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)


@pytest.mark.parametrize("most", [300, 1500, 4000])
def test_a_thinned_surface_keeps_its_size_its_regions_and_its_number(most):
    whole = boundary_arrays(any_cells.hexahedra((48, 36, 24), lambda u: u * [3.0, 2.0, 1.0]))
    out, less = thinned(whole, most)
    assert less and len(out["triangles"]) <= most
    assert len(out["triangles"]) > most / 8
    assert set(out["region"]) == set(whole["region"])
    np.testing.assert_allclose(out["points"].min(axis=0), 0.0, atol=1e-6)
    span = out["points"].max(axis=0)
    assert (span <= [3.0, 2.0, 1.0]).all() and (span > 0.75 * np.array([3.0, 2.0, 1.0])).all()
    for k in range(6):
        before, after = _area(whole)[whole["region"] == k], _area(out)[out["region"] == k]
        assert after.sum() == pytest.approx(before.sum(), rel=0.35)
    assert out["triangles"].max() < len(out["points"])
    # no triangle without a side, none twice
    t = np.sort(out["triangles"], axis=1)
    assert (np.diff(t, axis=1) > 0).all() and len(np.unique(t, axis=0)) == len(t)


def test_a_surface_that_fits_stays_as_it_is():
    whole = boundary_arrays(any_cells.mixed())
    out, less = thinned(whole, 10_000)
    assert out is whole and not less
