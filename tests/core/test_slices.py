"""Slices of bodies with plane faces against the CAD kernel's sections, and by brute force."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepGProp import BRepGProp
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.GProp import GProp_GProps

from intaglio.mesh.drawing import slice_arrays
from intaglio.mesh.mesh import fan
from intaglio.mesh.slices import crossed_cells, flat_cut
from intaglio.stages.volume import volume_mesh
from tests.core.shapes import box, cut, fuse, run, source

PLANES = [
    ((1.0, 0.0, 0.0), 11.3), ((0.0, 0.0, 1.0), 4.9), ((0.6, 0.0, 0.8), 13.0),
    ((0.36, 0.48, 0.8), 16.2), ((-0.48, 0.64, 0.6), 1.7),
]  # fmt: skip


def body():
    """An L with a square hole through its foot: all of its faces are plane."""
    return cut(fuse(box(0, 0, 0, 24, 12, 8), box(0, 0, 0, 8, 12, 20)), box(14, 4, -1, 19, 8, 9))


@pytest.fixture(scope="module")
def meshed(tmp_path_factory):
    """The body filled, with layers on its walls: tetrahedra, prisms and pyramids."""
    part = source(body(), tmp_path_factory.mktemp("body"))
    given = {
        "domain": {"where": "as-is"},
        "sizing": {"smallest": 1.2, "largest": 2.4},
        "layers": {"layers": [{"patches": ["*"], "count": 3, "last": 0.3}]},
    }
    states, store = run(part, "volume", given)
    return volume_mesh(store.get(states["volume"].key))


def kernel_area(normal, offset) -> float:
    """Area of the plane within the body, by the CAD kernel."""
    at = gp_Pnt(*(offset * np.array(normal)))
    face = BRepBuilderAPI_MakeFace(gp_Pln(at, gp_Dir(*normal)), -60, 60, -60, 60).Face()
    held = GProp_GProps()
    BRepGProp.SurfaceProperties_s(BRepAlgoAPI_Common(body(), face).Shape(), held)
    return held.Mass()


@pytest.mark.parametrize(("normal", "offset"), PLANES)
def test_the_flat_cut_has_the_area_of_the_section(meshed, normal, offset):
    cut_through = flat_cut(meshed, np.array(normal), offset)
    triangles, _ = fan(cut_through.start, np.arange(len(cut_through.points)))
    p = cut_through.points[triangles]
    area = 0.5 * float((np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]) @ normal).sum())
    assert area == pytest.approx(kernel_area(normal, offset), rel=1e-6)


@pytest.mark.parametrize(("normal", "offset"), PLANES)
def test_whole_cells_are_exactly_those_that_the_plane_meets(meshed, normal, offset):
    found = crossed_cells(meshed, np.array(normal), offset)
    height = meshed.points @ np.array(normal) - offset
    wanted = []
    for c in range(meshed.cells):
        own = height[meshed.cell_nodes[meshed.cell_start[c] : meshed.cell_start[c + 1]]]
        if (own > 0).any() and (own <= 0).any():
            wanted.append(c)
    assert found.tolist() == wanted and wanted


@pytest.mark.parametrize("flat", [False, True])
def test_a_slice_tells_how_far_its_cells_reach(meshed, flat):
    normal, offset = np.array([0.6, 0.0, 0.8]), 13.0
    value = np.zeros(meshed.cells, np.float32)
    _, count, step = slice_arrays(meshed, normal, offset, value, flat)
    cells = crossed_cells(meshed, normal, offset)
    height = meshed.points @ normal
    reach = [
        np.ptp(height[meshed.cell_nodes[meshed.cell_start[c] : meshed.cell_start[c + 1]]])
        for c in cells
    ]
    assert count == len(cells) and step == pytest.approx(np.median(reach))
    assert slice_arrays(meshed, normal, 500.0, value, flat)[1:] == (0, 0.0)


@pytest.mark.parametrize("flat", [False, True])
def test_a_slice_knows_the_cell_of_each_triangle(meshed, flat):
    value = np.arange(meshed.cells, dtype=np.float32)
    drawn, _, _ = slice_arrays(meshed, np.array([0.6, 0.0, 0.8]), 13.0, value, flat)
    np.testing.assert_array_equal(drawn["cell"], drawn["value"].astype(np.int32))
