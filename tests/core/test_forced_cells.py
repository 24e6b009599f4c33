"""Cells that the input forces: counted apart from avoidable ones, with the edge named."""

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.gp import gp_Pnt, gp_Vec
from scipy.spatial import Delaunay

from intaglio.mesh.building import tet_mesh
from intaglio.mesh.mesh import Patch
from intaglio.quality.cells import dihedral_angles, measure
from intaglio.quality.forced import CORNER, EDGE, STRIP, forced_cells, heights, spanning_cells
from intaglio.stages.volume import volume_mesh
from tests.core.shapes import box, cut, run, source


def _wedge(degrees: float, length: float = 10.0):
    """A prism whose section is a wedge of this angle, its edge along y."""
    high = length * np.tan(np.radians(degrees))
    outline = BRepBuilderAPI_MakePolygon(
        gp_Pnt(0, 0, 0), gp_Pnt(length, 0, 0), gp_Pnt(length, 0, high), True
    )
    face = BRepBuilderAPI_MakeFace(outline.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 4, 0)).Shape()


def test_cells_at_a_sharp_edge_name_it(tmp_path):
    given = {
        "domain": {"where": "as-is"},
        "sizing": {"smallest": 0.3, "largest": 0.6, "gap_cells": 0},
    }
    states, store = run(source(_wedge(5.0), tmp_path), "volume", given)
    findings = states["volume"].report["findings"]
    forced = [f for f in findings if f["code"] == "forced-cells"]
    edge = next(f for f in forced if len(f["faces"]) == 2)
    assert edge["size"] == pytest.approx(5.0, abs=0.01)
    faces = {f["id"]: f for f in states["domain"].report["faces"]}
    # the two long sides of the wedge, whose normals differ by 175 degrees
    one, two = (np.array(faces[k]["normal"]) for k in edge["faces"])
    assert one @ two == pytest.approx(np.cos(np.radians(175)), abs=1e-6)
    assert all(abs(x) < 1e-9 and abs(z) < 1e-9 for x, _, z in edge["places"])
    # what is left is not blamed on the edge
    mesh = volume_mesh(store.get(str(states["volume"].key)))
    flat = int((dihedral_angles(mesh.points, mesh.tets)[0] < 8.0).sum())
    assert flat > 0
    told = sum(f["count"] for f in findings if f["code"] in ("forced-cells", "spanned-gap"))
    assert told >= flat


def test_a_narrow_gap_is_told_with_its_width(tmp_path):
    slotted = cut(box(0, 0, 0, 10, 10, 10), box(-1, 4, 2, 11, 6, 9.9))
    given = {
        "domain": {"where": "as-is"},
        "sizing": {"smallest": 1.0, "largest": 1.2, "gap_cells": 0},
    }
    states, _ = run(source(slotted, tmp_path), "volume", given)
    findings = [f for f in states["volume"].report["findings"] if f["code"] == "spanned-gap"]
    assert len(findings) == 1 and findings[0]["size"] == pytest.approx(0.1, rel=0.3)
    # at the rim of the gap a cell may reach out of it with one node
    assert all(9.5 < z < 10.0 for _, _, z in findings[0]["places"])


def test_a_right_angle_forces_nothing():
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], float)
    tets = np.array([[0, 1, 2, 3]], np.int32)
    triangles = np.array([[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]], np.int32)
    names = tuple(Patch(f"side_{k}", "wall") for k in range(4))
    mesh = tet_mesh(points, tets, triangles, np.arange(4, dtype=np.int32), names)
    assert len(forced_cells(mesh, np.array([0])).cells) == 0
    # its nodes are all on the boundary, whose edges join them: it spans nothing
    assert spanning_cells(mesh, np.array([0])).tolist() == []
    # the corner lies nearest to the face across from it, nearer than opposite edges: 1/√3 < 1/√2
    assert heights(mesh, np.array([0]), measure(mesh).volume)[0] == pytest.approx(1 / np.sqrt(3))


def _on_a_floor(part, own):
    """Tetrahedra from a square floor, in Delaunay's triangles of its corners and of a convex
    polygon's, to an apex above; the triangles within the polygon are a patch of their `own`, or
    not."""
    flat = np.array([(-8, -8), (8, -8), (8, 8), (-8, 8), *part], float)
    triangles = Delaunay(flat).simplices
    x, y = flat[triangles].mean(axis=1).T
    beside = [
        (q[0] - p[0]) * (y - p[1]) - (q[1] - p[1]) * (x - p[0])
        for p, q in zip(part, part[1:] + part[:1], strict=True)
    ]
    within = own & (np.array(beside) > 0).all(axis=0)
    points = np.vstack([np.column_stack([flat, np.zeros(len(flat))]), [[0.1, 0.0, 8.0]]])
    apex = np.full((len(triangles), 1), len(flat))
    tets = np.hstack([triangles[:, ::-1], apex]).astype(np.int32)
    turned = np.linalg.det(points[tets[:, 1:]] - points[tets[:, :1]]) < 0
    tets[turned] = tets[turned][:, [1, 0, 2, 3]]
    sides = tets[:, [[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]]].reshape(-1, 3)
    _, at, count = np.unique(np.sort(sides, axis=1), axis=0, return_index=True, return_counts=True)
    at = at[count == 1]
    roof = (sides[at] == len(flat)).any(axis=1)
    patch = np.where(roof, 2, np.where(within[at // 4], 0, 1)).astype(np.int32)
    names = tuple(Patch(name, "wall") for name in ("part", "floor", "roof"))
    return tet_mesh(points, tets, sides[at], patch, names)


_TIP = 2 * np.tan(np.radians(5.0))


@pytest.mark.parametrize(
    ("part", "own", "kinds"),
    [
        # a corner of 10 degrees
        ([(0, 0), (2, -_TIP), (2, _TIP)], True, {CORNER}),
        # a strip a tenth as wide as its edges are long
        ([(0, 0), (2, 0), (4, 0), (3, 0.2), (1, 0.2)], True, {STRIP}),
        # a corner of 90 degrees, cut off with a thin triangle where the face is wide enough
        ([(0, 0), (4, 0), (4, 1.0), (0, 0.3)], True, set()),
        # the same triangles amid a face that leaves room for better ones
        ([(0, 0), (2, -_TIP), (2, _TIP)], False, set()),
        ([(0, 0), (2, 0), (4, 0), (3, 0.2), (1, 0.2)], False, set()),
    ],
)
def test_a_thin_triangle_is_the_geometrys_only_where_its_face_is_so(part, own, kinds):
    mesh = _on_a_floor(part, own)
    told = forced_cells(mesh, np.arange(mesh.cells))
    by_face = told.kind != EDGE
    assert set(told.kind[by_face].tolist()) == kinds
    assert (told.patches[by_face] == 0).all()
    if kinds == {CORNER}:
        assert told.angle[by_face].min() == pytest.approx(10.0)


@pytest.mark.parametrize("order", [(0, 1, 2, 3), (0, 2, 1, 3), (0, 2, 3, 1)])
def test_crossing_edges_are_as_far_apart_as_the_gap(order):
    # two edges that cross at a right angle, one above the other; each order pairs other nodes
    points = np.array([[-1, 0, 0], [1, 0, 0], [0, -1, 0.07], [0, 1, 0.07]])
    tet = np.array([order], np.int32)
    if np.linalg.det(points[tet[0, 1:]] - points[tet[0, 0]]) < 0:
        tet[0, :2] = tet[0, 1::-1]
    own = tet[0]
    sides = own[[[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]]].astype(np.int32)
    mesh = tet_mesh(points, tet, sides, np.zeros(4, np.int32), (Patch("all", "wall"),))
    assert heights(mesh, np.array([0]), measure(mesh).volume)[0] == pytest.approx(0.07)
