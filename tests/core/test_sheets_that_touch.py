"""A surface of facets that touches itself in a node."""

import numpy as np
import pytest

from intaglio.facets.features import fans, parted_sheets
from intaglio.facets.part import FacetPart
from intaglio.triangles.measures import enclosed_volume
from tests.core.shapes import run
from tests.core.world.model import source

CORNER = np.array([[0.0, 0, 0], [4, 0, 0], [0, 4, 0], [0, 0, 4]])
FACES = np.array([[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], np.int32)


def _two_that_share_a_corner():
    """Two tetrahedra, point to point."""
    other = -CORNER[1:]
    points = np.concatenate([CORNER, other])
    mirrored = FACES.copy()
    mirrored[mirrored > 0] += 3
    return points, np.concatenate([FACES, mirrored[:, ::-1]]).astype(np.int32)


def test_each_sheet_gets_a_node_of_its_own():
    points, triangles = _two_that_share_a_corner()
    assert len(np.unique(fans(triangles))) == 8
    out, rows = parted_sheets(points, triangles)
    assert len(out) == 8 and len(np.unique(out, axis=0)) == 8
    assert not set(rows[:4].ravel()) & set(rows[4:].ravel())
    # each draws back into its own tetrahedron, away from the other one
    own = [np.setdiff1d(rows[half].ravel(), np.arange(1, 7)) for half in (slice(0, 4), slice(4, 8))]
    assert (out[own[0]] > 0).all() and (out[own[1]] < 0).all()
    volume = enclosed_volume(out, rows)
    assert 0.5 * 2 * 64 / 6 < volume < 2 * 64 / 6


def test_nodes_at_one_place_come_apart_too_and_others_stay():
    points, triangles = _two_that_share_a_corner()
    apart = np.concatenate([points, points[:1]])
    triangles[4:][triangles[4:] == 0] = 7
    out, _ = parted_sheets(apart, triangles)
    assert len(np.unique(out, axis=0)) == 8
    assert out[1:7] == pytest.approx(apart[1:7], abs=0)
    single = parted_sheets(CORNER, FACES)
    assert single[0] is CORNER and single[1] is FACES


def test_such_a_part_becomes_a_mesh():
    points, triangles = _two_that_share_a_corner()
    part = FacetPart(
        points, triangles, np.zeros(8, np.int32), np.zeros(8, np.int32), ("skin",), ("body",), "mm"
    )
    given = {
        "domain": {"where": "around"},
        "sizing": {"smallest": 0.5, "largest": 6.0, "wall": 0.8},
    }
    states, _ = run(source(part), "volume", given)
    assert states["volume"].report["volume"] == pytest.approx(
        states["domain"].report["volume"], rel=0.01
    )
