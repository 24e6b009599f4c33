"""Cells that taper to an edge or a node, and slopes that a single pressure tilts too far."""

from dataclasses import replace

import numpy as np
import pytest

import intaglio
from intaglio.flow.geometry import volumes_of
from intaglio.flow.operators import carrying_of, in_cells, operators_of
from intaglio.flow.pressure import slope_counts
from intaglio.flow.reading import read_flow
from intaglio.mesh.mesh import cell_middles
from intaglio.proof.verdict import fall
from tests.core.any_cells import block, mixed, of_hexahedra, of_tetrahedra, pyramids, tetrahedra
from tests.core.settling import settled

LEVELS, STEP = 6, 0.02
MM = 1e-3
# two nodes of a triangle on a wall, the third and those that layers grow over it, and a top
POINTS = np.array(
    [[0.0, 0.0, 0.0], [3.0, 0.0, 0.0]]
    + [[1.5, 2.6, STEP * k] for k in range(LEVELS + 1)]
    + [[1.5, 1.0, 2.5]]
)
TOP = LEVELS + 2
STACK = [[0, 1, 2 + k, 3 + k] for k in range(LEVELS)]


@pytest.fixture
def mesh():
    """The stack, and a cell on it."""
    return of_tetrahedra(POINTS, np.array([*STACK, [0, 1, TOP, TOP + 1]], np.int32))


def every(mesh):
    return volumes_of(mesh, MM, np.ones(mesh.cells, bool))


def test_a_stack_around_an_edge_is_one_volume_and_the_cell_on_it_another(mesh):
    v = every(mesh)
    assert v.count == 2 and v.merged == LEVELS and v.stacks == 1 and v.mesh_cells == LEVELS + 1
    assert v.of_cell.tolist() == [0] * LEVELS + [1]
    # together they are the tetrahedron of the edge, the node on the wall, and that on top
    corners = POINTS[[0, 1, 2, TOP]]
    whole = abs(np.linalg.det(corners[1:] - corners[0])) / 6
    assert v.volume[0] == pytest.approx(whole * MM**3, rel=1e-12)
    np.testing.assert_allclose(v.centroid[0], corners.mean(axis=0) * MM, rtol=1e-12)
    total = np.zeros((2, 3))
    np.add.at(total, v.links.left, v.links.area)
    np.add.at(total, v.links.right, -v.links.area)
    np.add.at(total, v.rim.cell, v.rim.area)
    assert np.abs(total).max() < 1e-18
    # what lies behind a face of the rim is told by the mesh, not by the volume
    owners = mesh.owner[v.rim.face]
    assert v.rim.behind.tolist() == owners.tolist()


def test_faces_between_zones_part_volumes():
    whole = of_tetrahedra(POINTS, np.array(STACK, np.int32))
    some = np.array([True] * 4 + [False] * 2)
    v = volumes_of(whole, MM, some)
    assert v.count == 1 and v.of_cell.tolist() == [0] * 4 + [-1] * 2
    # the face to those left out is rim
    assert (v.rim.behind == 3).sum() == 3


@pytest.mark.parametrize(
    "mesh",
    [
        of_hexahedra(block((4, 4, 1))[0] * [1, 1, 1e-3], block((4, 4, 1))[1]),
        tetrahedra((4, 4, 4)),
        pyramids((3, 3, 3)),
    ],
    ids=["flat bricks", "tetrahedra", "pyramids"],
)
def test_other_cells_are_volumes_of_their_own(mesh):
    v = every(mesh)
    assert v.merged == 0 and v.stacks == 0
    assert v.cells.tolist() == v.of_cell.tolist() == list(range(mesh.cells))


def test_cells_of_a_stack_have_what_its_slope_tells(mesh):
    ops = operators_of(every(mesh))
    slope = np.array([300.0, -1200.0, 2000.0])
    v = ops.volumes
    got = in_cells(ops, mesh, MM, v.centroid @ slope, v.rim.centre @ slope)
    exact = cell_middles(mesh, np.arange(mesh.cells)) * MM @ slope
    np.testing.assert_allclose(got, exact, rtol=1e-8)


def test_cells_of_a_stack_stay_within_what_is_around_it(mesh):
    """Whatever the slope of values that jump from volume to volume."""
    ops = operators_of(every(mesh))
    v = ops.volumes
    random = np.random.default_rng(3)
    values, rim = random.uniform(0.0, 1.0, v.count), random.uniform(0.0, 1.0, len(v.rim.cell))
    got = in_cells(ops, mesh, MM, values, rim)
    for volume in np.flatnonzero(np.bincount(v.of_cell) > 1):
        left, right = v.links.left == volume, v.links.right == volume
        near = [values[volume], *values[v.links.right[left]], *values[v.links.left[right]],
                *rim[v.rim.cell == volume]]  # fmt: skip
        of_stack = got[v.of_cell == volume]
        assert min(near) <= of_stack.min() and of_stack.max() <= max(near)


def tilts(ops, carried):
    """Of each link (i,) the mean slope along it over its step, the larger of those that a pressure
    of either of its cells alone makes."""
    v = ops.volumes
    k, most = v.links, np.zeros(len(v.links.left))
    for cell in range(v.count):
        pressure = np.zeros(v.count)
        pressure[cell] = -1.0
        slope = ops.gradient(pressure, carried.to_rim(pressure, np.zeros(len(v.rim.cell))))
        share = k.share[:, None]
        mean = (1.0 - share) * slope[k.left] + share * slope[k.right]
        at = (k.left == cell) | (k.right == cell)
        step = (pressure[k.right] - pressure[k.left])[at]
        most[at] = np.maximum(most[at], (mean * k.way).sum(axis=1)[at] / step)
    return most


def jittered():
    return tetrahedra((4, 4, 4), jitter=0.08)


@pytest.mark.parametrize("make", [jittered, pyramids, mixed])
def test_a_pressure_of_one_cell_never_drives_what_damps_it(make):
    flat = replace(make(), unit="m")
    flat = replace(flat, points=flat.points * [1.0, 1.0, 0.1])
    limited = 0
    for mesh in (replace(make(), unit="m"), flat):
        ops = operators_of(volumes_of(mesh, 1.0, np.ones(mesh.cells, bool)))
        carried = carrying_of(ops.volumes, np.zeros(len(ops.volumes.rim.cell), bool))
        counts, most = slope_counts(ops, carried), tilts(ops, carried)
        # what the rim of the cell behind has to do with it is left out
        assert (counts * most).max() < 1.1
        # and nothing else is taken away
        assert (counts[most < 0.9] == 1.0).all()
        limited += int((counts < 1.0 - 1e-9).sum())
    assert (limited > 0) == (make is not pyramids)


@pytest.mark.slow
def test_a_flow_settles_where_layers_grow_from_single_nodes(tmp_path):
    """The demo's cooler, whose cells in such stacks let the iteration swing, at any viscosity."""
    rows = [
        {"patches": ["water_in"], "is": "speed", "speed": 0.002, "temperature": 20},
        {"patches": ["glycol_in"], "is": "speed", "speed": 0.005, "temperature": 60},
        {"patches": ["water_out", "glycol_out"], "is": "pressure", "pressure": 0},
        {"patches": ["*"], "is": "no_slip"},
    ]
    case = {"closure": "laminar", "heat": "with", "conditions": rows, "files": ["cgns"]}
    intaglio.open("demo/recipes/cooler.yaml", quiet=True).set(
        sizing={"cells": 75_000}, case=case
    ).export(tmp_path / "out")
    v = read_flow(tmp_path / "out" / "mesh.cgns").ops.volumes
    assert v.stacks > 100
    done = settled(tmp_path / "out", 80)
    assert done.trouble is None and min(fall(done.history)) >= 2.0
    # temperatures stay between those that flow in, but for a few cells that lie at a slant
    told = done.warmth.temperature - 273.15
    assert ((told < 19.5) | (told > 60.5)).mean() < 1e-3
    assert told.min() > 12.0 and told.max() < 68.0
