"""Layers at sharp outer edges and free rims: three columns in place of one, bands between them."""

import math

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.gp import gp_Pnt, gp_Vec

from intaglio.layers.bands import band_cells, band_ends
from intaglio.layers.shell import NO_ARCS
from intaglio.mesh.cells import HEXAHEDRON, PRISM, PYRAMID, TETRAHEDRON
from intaglio.quality.values import Values, cell_values
from tests.core.shapes import box, cut
from tests.core.test_layers import all_sound, layered_mesh, volumes
from tests.core.test_standing_sheets import duct, quad, step

DEEP, LONG = 10.0, 10.0


def _knife(degrees: float):
    """A wedge of so many degrees along z, its edge at the origin, LONG along x."""
    half = LONG * math.tan(math.radians(degrees / 2))
    polygon = BRepBuilderAPI_MakePolygon()
    for x, y in ((0, 0), (LONG, half), (LONG, -half)):
        polygon.Add(gp_Pnt(x, y, 0))
    polygon.Close()
    face = BRepBuilderAPI_MakeFace(polygon.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, DEEP)).Shape()


def _around(degrees, folder, total):
    """Layers around a wedge that stands between two planes of symmetry."""
    fluid = cut(box(-20, -15, 0, 25, 15, DEEP), _knife(degrees))
    far = ["@ -20 0 5", "@ 25 0 5", "@ 0 15 5", "@ 0 -15 5"]
    rows = [
        {"name": "side", "kind": "symmetry", "faces": ["@ -9 9 0", "@ -9 9 10"]},
        {"name": "far", "kind": "far_field", "faces": far},
        {"name": "knife", "kind": "wall", "faces": "rest"},
    ]
    row = {"patches": ["knife"], "count": 4, "growth": 1.2, "total": total}
    sizing = {"smallest": 0.5, "largest": 2.0}
    return layered_mesh(fluid, folder, [row], sizing, {"where": "as-is"}, rows)


@pytest.mark.parametrize("degrees", [5, 20, 60])
def test_layers_go_round_the_edge_of_a_wedge(tmp_path, degrees):
    made = _around(degrees, tmp_path, 0.8)
    all_sound(made)
    (row,) = made.told["patches"]
    assert row["full"] == 1.0 and row["lowered"] < 0.01
    shapes = made.volume["cells_by_shape"]
    assert shapes["hexahedron"] > 0 and shapes["prism"] > 0
    metrics = cell_values(Values(made.mesh), Values(made.mesh).known())
    within = made.layer > 0
    assert metrics["equiangle_skewness"][within].max() < 0.9
    # no column is shorter than what is asked for: the walls' slabs hold it everywhere
    mesh = made.mesh
    cells = np.repeat(np.arange(mesh.cells), np.diff(mesh.cell_start))
    used = np.unique(mesh.cell_nodes[within[cells]])
    p = mesh.points[used]
    ahead = p[p[:, 0] <= -0.5 * 0.8]
    assert len(ahead) and p[:, 0].min() == pytest.approx(-0.8, abs=0.5)


def test_a_right_angle_needs_no_second_column(tmp_path):
    room = cut(box(-9, -9, -9, 13, 13, 13), box(0, 0, 0, 4, 4, 4))
    rows = [
        {"name": "far", "kind": "far_field", "faces": ["@ -9 0 0", "@ 13 0 0", "@ 0 -9 0"]},
        {"name": "rest", "kind": "far_field", "faces": ["@ 0 13 0", "@ 0 0 -9", "@ 0 0 13"]},
        {"name": "cube", "kind": "wall", "faces": "rest"},
    ]
    row = {"patches": ["cube"], "count": 4, "growth": 1.2, "total": 0.8}
    sizing = {"smallest": 0.5, "largest": 2.0, "wall": 0.8}
    made = layered_mesh(room, tmp_path, [row], sizing, {"where": "as-is"}, rows)
    all_sound(made)
    assert set(made.volume["cells_by_shape"]) == {"tetrahedron", "prism"}
    assert made.told["patches"][0]["full"] == 1.0
    # straight to the corners of a larger cube
    assert volumes(made)[made.layer > 0].sum() == pytest.approx(5.6**3 - 4**3, rel=1e-3)


def test_a_plate_that_touches_nothing_is_wrapped_all_round(tmp_path):
    plate = quad((30, -6, 0), (50, -6, 0), (50, 6, 0), (30, 6, 0))
    row = {"patches": ["plate*"], "count": 5, "growth": 1.2, "total": 1.5}
    made = layered_mesh(
        step(("duct", duct()), ("plate", plate)), tmp_path, [row], {"smallest": 1.2, "largest": 2.5}
    )
    all_sound(made)
    assert [p["full"] for p in made.told["patches"]] == [1.0, 1.0]
    within = float(volumes(made)[made.layer > 0].sum())
    # both slabs, and no more than half discs and quarter balls around the rim
    slabs, round_ = 2 * 20 * 12 * 1.5, 64 * math.pi * 1.5**2 / 2 + 4 / 3 * math.pi * 1.5**3
    assert slabs < within < slabs + 1.1 * round_
    assert Values(made.mesh).of_cells("smallest_dihedral").min() > 12


def _one_band(near: int, far: int, most: int = 4):
    """A band over an edge from a to b along x, columns square to each other, so many layers at a
    (near) and at b (far); the volume that its cells fill, as shapes, cells and points."""
    from dataclasses import replace

    from intaglio.layers.columns import columns
    from intaglio.layers.shell import Arcs, Shell

    # nodes: a, a's other side and middle, b with both; the band is between side and middle
    base = np.array([[0.0, 0, 0]] * 2 + [[1.0, 0, 0]] * 2)
    origin = np.array([0, 0, 2, 2], np.int32)
    none = np.zeros((0, 3), np.int32)
    flags = np.zeros(0, bool)
    shell = Shell(
        base, origin, none, np.zeros(0, np.int32), flags, flags, np.zeros(0, np.int32), flags,
        np.zeros(0, np.int32), np.zeros(4, bool), np.arange(4, dtype=np.int32), NO_ARCS,
    )  # fmt: skip
    band = np.array([[2, 0, 1, 3]], np.int32)
    shell = replace(shell, arcs=Arcs(none, np.zeros((0, 3)), band, np.zeros(1, np.int32)))
    # as the walls turn: the first side looks to +z, the middle to +y
    way = np.array([[0, 0, 1.0], [0, 1.0, 0], [0, 0, 1.0], [0, 1.0, 0]])
    heights = np.tile(0.25 * np.arange(most + 1), (4, 1))
    count = np.array([near, near, far, far], np.int32)
    heights = np.minimum(heights, 0.25 * count[:, None])
    made = columns(shell, way, heights, count)
    cells = band_cells(shell, made.level, made.count, made.tip).groups
    return made, cells, band_ends(shell, made.level, made.tip)[0]


def _volume(points, shape, cell):
    faces = {
        TETRAHEDRON: [[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]],
        PYRAMID: [[0, 3, 2, 1], [0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]],
        PRISM: [[0, 2, 1], [3, 4, 5], [0, 1, 4, 3], [1, 2, 5, 4], [2, 0, 3, 5]],
        HEXAHEDRON: [
            [0, 3, 2, 1], [4, 5, 6, 7], [0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7],
        ],
    }[shape]  # fmt: skip
    total = 0.0
    for face in faces:
        p = points[cell[face]]
        middle = p.mean(axis=0)
        for i in range(len(p)):
            total += float(np.linalg.det([middle, p[i], p[(i + 1) % len(p)]])) / 6
    return total


@pytest.mark.parametrize("near, far", [(4, 4), (1, 1), (4, 3), (3, 4), (4, 1), (4, 0), (0, 3)])
def test_cells_of_a_band_fill_what_its_ends_enclose(near, far):
    made, groups, ends = _one_band(near, far)
    cells = [(shape, row) for shape, rows, _, _ in groups for row in rows]
    each = [_volume(made.points, shape, row) for shape, row in cells]
    assert min(each) > 0
    # triangles of every face, those that two cells share but once: what is left is the outside
    assert len({tuple(sorted(row)) for _, row in cells}) == len(cells)
    # the wedge between the columns: its ends are right triangles, straight from one to the other
    a, b = 0.25 * near, 0.25 * far
    wedge = (a * a + a * b + b * b) / 6
    roof = 0.0
    if made.tip[0] >= 0:
        corners = made.points[made.level[[2, 0, 1, 3], -1]]
        tip = made.points[made.tip[0]]
        for i in range(4):
            p = np.array([corners.mean(axis=0), corners[i], corners[(i + 1) % 4]]) - tip
            roof += abs(float(np.linalg.det(p))) / 6
    assert sum(each) == pytest.approx(wedge + roof, rel=1e-9)
    # four faces of the pyramid, or the one triangle of an end that has a single node
    assert len(ends) == (4 if made.tip[0] >= 0 else 1)
