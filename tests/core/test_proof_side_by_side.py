"""Arrows over a plane, and flows in rows beside each other."""

import numpy as np
import pytest

from intaglio.mesh.mesh import cell_middles
from intaglio.proof.arrows import arrows
from intaglio.proof.comparing import compared_flows
from tests.core import any_cells


def shafts(segments):
    """Starts, ends and barbs of arrows from their segments."""
    parts = segments.reshape(-1, 3, 2, 3)
    return parts[:, 0, 0], parts[:, 0, 1], parts[:, 1:, 1]


def test_arrows_turn_as_the_flow_does_and_grow_with_it():
    mesh = any_cells.tetrahedra((12, 12, 4))
    middle = cell_middles(mesh, np.arange(mesh.cells))
    centre = 0.5 * (mesh.points.min(axis=0) + mesh.points.max(axis=0))
    flow = np.cross([0.0, 0.0, 1.0], middle - centre) + np.array([0, 0, 5.0])
    height = float(centre[2]) + 0.013
    start, end, barbs = shafts(arrows(mesh, flow, np.array([0, 0, 2.0]), 2 * height))
    assert len(start) > 100
    # in the plane, whatever goes through it
    assert np.allclose(start[:, 2], height, atol=1e-6) and np.allclose(end[:, 2], height, atol=1e-6)
    way = end - start
    along = np.einsum("ka,ka->k", way, np.cross([0, 0, 1.0], start - centre))
    radius = np.linalg.norm((start - centre)[:, :2], axis=1)
    length = np.linalg.norm(way, axis=1)
    far = radius > 0.3 * radius.max()
    assert (along[far] / (length * radius)[far]).min() > 0.95
    assert np.corrcoef(length, radius)[0, 1] > 0.98
    # barbs point back
    assert (((barbs - end[:, None]) * way[:, None]).sum(axis=2) < 0).all()


@pytest.mark.parametrize("flow", [[0.0, 0.0, 3.0], [0.0, 0.0, 0.0], [np.nan] * 3])
def test_there_are_none_where_nothing_goes_along_the_plane(flow):
    mesh = any_cells.hexahedra((3, 3, 3))
    velocity = np.tile(np.array(flow), (mesh.cells, 1))
    height = float(mesh.points[:, 2].mean()) + 1e-3
    assert arrows(mesh, velocity, np.array([0.0, 0.0, 1.0]), height).shape == (0, 2, 3)
    assert arrows(mesh, velocity, np.array([0.0, 0.0, 1.0]), 1e3).shape == (0, 2, 3)


def told(verdict, fastest, patches):
    return {
        "verdict": verdict, "iterations": 50, "mass_imbalance": 0.0, "fastest": fastest,
        "patches": patches,
    }  # fmt: skip


def test_flows_are_told_side_by_side_with_gaps_where_there_is_none():
    one = told("proven", 2.0, {"in": {"flow_rate": -3.0, "force": [3.0, 0.0, 4.0]}})
    other = told("falling", 2.5, {"tube": {"heat": 7.0, "mean_temperature": 293.15}})
    rows = {r["label"]: r for r in compared_flows([one, None, other])}
    assert rows["The flow on it"]["values"] == ["proven", None, "residuals fall"]
    assert rows["Fastest"]["values"] == [2.0, None, 2.5] and rows["Fastest"]["differs"]
    assert rows["Force on in"]["values"] == [5.0, None, None]
    assert rows["Temperature at tube"]["values"] == [None, None, pytest.approx(20.0)]
    assert "Heat at in" not in rows
    assert compared_flows([None, None]) == []
