"""Every metric against VTK's where the definitions agree, else against a plain computation."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import vtk

from intaglio.mesh.building import tet_mesh
from intaglio.mesh.cells import HEXAHEDRON, POLYHEDRON, PRISM, PYRAMID, TETRAHEDRON
from intaglio.mesh.mesh import Mesh
from intaglio.quality.catalogue import BY_KEY, METRICS
from intaglio.quality.cells import measure
from intaglio.quality.statistics import histogram, quality_summary, spread
from intaglio.quality.triangles import triangle_angles, triangle_aspect
from intaglio.quality.values import Values
from tests.core import any_cells
from tests.core.test_any_cells import MADE, vtk_grid

Q = vtk.vtkMeshQuality
VTK = {
    "equiangle_skewness": {
        TETRAHEDRON: Q.TetEquiangleSkew, PYRAMID: Q.PyramidEquiangleSkew,
        PRISM: Q.WedgeEquiangleSkew, HEXAHEDRON: Q.HexEquiangleSkew,
    },
    "equivolume_skewness": {TETRAHEDRON: Q.TetEquivolumeSkew},
    "aspect_ratio": {TETRAHEDRON: Q.TetAspectRatio, PRISM: Q.WedgeEdgeRatio},
    "scaled_jacobian": {
        TETRAHEDRON: Q.TetScaledJacobian, PYRAMID: Q.PyramidScaledJacobian,
        PRISM: Q.WedgeScaledJacobian, HEXAHEDRON: Q.HexScaledJacobian,
    },
    "volume": {
        TETRAHEDRON: Q.TetVolume, PYRAMID: Q.PyramidVolume, PRISM: Q.WedgeVolume,
    },
}  # fmt: skip


def shaken(mesh: Mesh, seed: int = 5) -> Mesh:
    """The mesh with its nodes moved by up to a sixth of the shortest edge, so that no two cells are
    alike and faces are warped."""
    rng = np.random.default_rng(seed)
    start, nodes = mesh.face_start, mesh.face_nodes
    edges = mesh.points[nodes[start[:-1]]] - mesh.points[nodes[start[:-1] + 1]]
    step = np.linalg.norm(edges, axis=1).min() / 6
    moved = mesh.points + step * (2 * rng.random(mesh.points.shape) - 1) / np.sqrt(3)
    return replace(mesh, points=moved)


@pytest.fixture(scope="module", params=[n for n in MADE if n not in ("polyhedra", "zones")])
def standard(request) -> Mesh:
    return shaken(MADE[request.param]())


@pytest.fixture(scope="module", params=list(MADE))
def mesh(request) -> Mesh:
    made = MADE[request.param]()
    return made if request.param == "polyhedra" else shaken(made)


@pytest.mark.parametrize("key", VTK)
def test_cells_agree_with_vtk(standard, key):
    ours = Values(standard).of_cells(key)
    grid = vtk_grid(standard)
    for c in range(standard.cells):
        theirs = VTK[key].get(int(standard.shape[c]))
        if theirs is not None:
            assert ours[c] == pytest.approx(theirs(grid.GetCell(c)), rel=1e-9, abs=1e-9)


def test_random_tetrahedra_agree_with_vtk_however_flat():
    rng = np.random.default_rng(11)
    points = rng.random((1200, 3)) * [1.0, 1.0, 0.02]
    tets = np.arange(1200, dtype=np.int32).reshape(-1, 4)
    a, b, c, d = (points[tets[:, i]] for i in range(4))
    turned = np.einsum("ij,ij->i", np.cross(b - a, c - a), d - a) < 0
    tets[turned] = tets[turned][:, [1, 0, 2, 3]]
    mesh = tet_mesh(points, tets, np.zeros((0, 3), np.int32), np.zeros(0, np.int32), ())
    grid, values = vtk_grid(mesh), Values(mesh)
    for key in ("equivolume_skewness", "aspect_ratio", "scaled_jacobian"):
        theirs = [VTK[key][TETRAHEDRON](grid.GetCell(k)) for k in range(mesh.cells)]
        np.testing.assert_allclose(values.of_cells(key), theirs, rtol=1e-9, atol=1e-9)


def test_edge_length_and_ratio_are_those_of_vtks_edges(standard):
    grid, values = vtk_grid(standard), Values(standard)
    mean, ratio = values.of_cells("edge_length"), values.of_cells("aspect_ratio")
    for c in range(standard.cells):
        cell = grid.GetCell(c)
        length = []
        for e in range(cell.GetNumberOfEdges()):
            ends = [np.array(cell.GetEdge(e).GetPoints().GetPoint(i)) for i in range(2)]
            length.append(np.linalg.norm(ends[0] - ends[1]))
        assert mean[c] == pytest.approx(np.mean(length), rel=1e-12)
        if standard.shape[c] != TETRAHEDRON:
            assert ratio[c] == pytest.approx(max(length) / min(length), rel=1e-12)


def test_dihedral_angles_are_those_between_vtks_faces(standard):
    values, grid = Values(standard), vtk_grid(standard)
    least, largest = (values.of_cells(f"{w}_dihedral") for w in ("smallest", "largest"))
    for c in range(standard.cells):
        normals, corners = [], []
        for k in range(grid.GetCell(c).GetNumberOfFaces()):
            face = grid.GetCell(c).GetFace(k)
            normal = [0.0, 0.0, 0.0]
            vtk.vtkPolygon.ComputeNormal(face.GetPoints(), normal)
            normals.append(normal)
            corners.append({face.GetPointId(i) for i in range(face.GetNumberOfPoints())})
        angles = [
            180.0 - np.degrees(vtk.vtkMath.AngleBetweenVectors(normals[i], normals[j]))
            for i in range(len(normals))
            for j in range(i)
            if len(corners[i] & corners[j]) == 2
        ]
        assert least[c] == pytest.approx(min(angles), abs=1e-6)
        assert largest[c] == pytest.approx(max(angles), abs=1e-6)


def _face_of(mesh: Mesh, f: int) -> tuple[np.ndarray, np.ndarray]:
    """Unit normal and centroid of a face, from its triangles about the mean of its nodes."""
    p = mesh.points[mesh.face_nodes[mesh.face_start[f] : mesh.face_start[f + 1]]]
    middle = p.mean(axis=0)
    after = np.roll(p, -1, axis=0)
    normals = np.cross(p - middle, after - middle)
    area = np.linalg.norm(normals, axis=1)
    centroid = ((p + after + middle) / 3 * area[:, None]).sum(axis=0) / area.sum()
    total = normals.sum(axis=0)
    return total / np.linalg.norm(total), centroid


def test_faces_lie_as_a_plain_computation_says(mesh):
    values = Values(mesh)
    measured = measure(mesh)
    offset, growth = values.of_faces("face_offset"), values.of_faces("growth")
    angle = values.of_faces("non_orthogonality")
    least = np.ones(mesh.cells)
    for f in range(mesh.faces):
        normal, centroid = _face_of(mesh, f)
        o, u = mesh.owner[f], mesh.neighbour[f]
        way = centroid - measured.centroid[o]
        least[o] = min(least[o], normal @ way / np.linalg.norm(way))
        if u < 0:
            continue
        back = centroid - measured.centroid[u]
        least[u] = min(least[u], -normal @ back / np.linalg.norm(back))
        between = measured.centroid[u] - measured.centroid[o]
        length = np.linalg.norm(between)
        assert np.cos(np.radians(angle[f])) == pytest.approx(normal @ between / length, abs=1e-9)
        foot = measured.centroid[o] + between * (normal @ way) / (normal @ between)
        assert offset[f] == pytest.approx(np.linalg.norm(foot - centroid) / length, abs=1e-9)
        heights = abs(normal @ way), abs(normal @ back)
        assert growth[f] == pytest.approx(max(heights) / min(heights), rel=1e-9)
    np.testing.assert_allclose(values.of_cells("face_orthogonality"), least, rtol=1e-9)


def test_values_of_faces_come_to_the_worse_of_their_cells(mesh):
    values = Values(mesh)
    for key, least in (("face_offset", 0.0), ("growth", 1.0), ("volume_ratio", 1.0)):
        on_faces, worst = values.of_faces(key), np.full(mesh.cells, least)
        for f in range(mesh.interior_faces):
            for c in (mesh.owner[f], mesh.neighbour[f]):
                worst[c] = max(worst[c], on_faces[f])
        np.testing.assert_array_equal(values.of_cells(key), worst)


def test_ideal_cells_have_ideal_values():
    block = any_cells.hexahedra((2, 2, 2), lambda u: 3.0 * u)
    values = Values(block)
    ideal = {
        "equiangle_skewness": 0.0, "non_orthogonality": 0.0, "face_orthogonality": 1.0,
        "face_offset": 0.0, "aspect_ratio": 1.0, "smallest_dihedral": 90.0,
        "largest_dihedral": 90.0, "scaled_jacobian": 1.0, "volume_ratio": 1.0, "growth": 1.0,
        "warp": 0.0, "volume": 27.0 / 8, "edge_length": 1.5,
    }  # fmt: skip
    for key, value in ideal.items():
        np.testing.assert_allclose(values.of_cells(key), value, atol=1e-6, err_msg=key)
    assert np.isnan(values.of_cells("equivolume_skewness")).all()
    assert set(ideal) | {"equivolume_skewness"} == set(values.known())


def test_growth_of_a_graded_stack_is_its_ratio():
    graded = any_cells.hexahedra(
        (6, 1, 1), lambda u: np.column_stack([1.3 ** (6 * u[:, 0]), u[:, 1:]])
    )
    np.testing.assert_allclose(Values(graded).of_faces("growth"), 1.3, rtol=1e-12)


def test_a_bent_face_warps_both_of_its_cells():
    block = any_cells.hexahedra((2, 1, 1), lambda u: u)
    points = block.points.copy()
    middle = np.flatnonzero((points[:, 0] == 0.5) & (points[:, 1] == 1) & (points[:, 2] == 1))
    points[middle, 0] += 0.1
    warp = Values(replace(block, points=points)).of_cells("warp")
    assert warp[0] == pytest.approx(warp[1]) and warp[0] > 2.0


def test_a_polyhedron_has_no_value_of_what_its_shape_does_not_define():
    values = Values(MADE["polyhedra"]())
    assert (values.mesh.shape == POLYHEDRON).all()
    told = quality_summary(values)
    for key in ("equiangle_skewness", "equivolume_skewness", "largest_dihedral", "scaled_jacobian"):
        assert np.isnan(values.of_cells(key)).all() and key not in told
    assert {"volume", "non_orthogonality", "face_orthogonality", "aspect_ratio"} <= set(told)


def test_edge_length_over_the_field_needs_a_field():
    block = any_cells.hexahedra((2, 2, 2), lambda u: 3.0 * u)
    with pytest.raises(KeyError):
        Values(block).of_cells("size_ratio")
    sized = Values(block, asked=np.full(block.cells, 1.2))
    assert "size_ratio" in sized.known()
    np.testing.assert_allclose(sized.of_cells("size_ratio"), 1.25)


def test_triangles_agree_with_vtk():
    rng = np.random.default_rng(8)
    points = rng.random((300, 3)) * [1.0, 1.0, 0.1]
    triangles = np.arange(300, dtype=np.int32).reshape(-1, 3)
    ours = triangle_aspect(points, triangles)
    angles = triangle_angles(points, triangles)
    for k, t in enumerate(triangles):
        cell = vtk.vtkTriangle()
        for i in range(3):
            cell.GetPoints().SetPoint(i, *points[t[i]])
        assert ours[k] == pytest.approx(Q.TriangleAspectRatio(cell), rel=1e-9)
        assert angles[k].min() == pytest.approx(Q.TriangleMinAngle(cell), abs=1e-9)
        assert angles[k].max() == pytest.approx(Q.TriangleMaxAngle(cell), abs=1e-9)
    flat = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0.0]])
    assert triangle_aspect(flat, np.array([[0, 1, 2]], np.int32))[0] > 1e29


def test_spread_is_that_of_numpy():
    values = np.random.default_rng(2).lognormal(size=501)
    told = spread(values)
    assert (told["min"], told["max"]) == (values.min(), values.max())
    assert told["mean"] == pytest.approx(values.mean())
    assert told["deviation"] == pytest.approx(values.std())
    # of 501 values the 5th percentile is the 26th of them
    assert told["percentiles"]["5"] == pytest.approx(np.sort(values)[25])
    assert told["percentiles"]["50"] == np.median(values)


@pytest.mark.parametrize("metric", METRICS, ids=lambda m: m.key)
def test_bars_hold_every_cell_once(metric):
    values = np.random.default_rng(3).lognormal(size=2000)
    told = histogram(values, metric, 17)
    assert len(told["count"]) == 17 and sum(told["count"]) == 2000
    edges = np.array(told["edges"])
    assert (edges[0], edges[-1]) == (values.min(), values.max())
    widths = np.diff(np.log(edges)) if metric.ratio else np.diff(edges)
    np.testing.assert_allclose(widths, widths[0], rtol=1e-9)
    inside = [((values >= a) & (values < b)).sum() for a, b in pairwise(edges)]
    assert told["count"][:-1] == inside[:-1]


@pytest.mark.parametrize("value", [0.0, 1.0, 123.4])
@pytest.mark.parametrize("key", ["warp", "volume"])
def test_values_that_are_all_alike_have_bars_too(value, key):
    values = value * (1 + 1e-15 * np.arange(40))
    told = histogram(values, BY_KEY[key], 8)
    assert sum(told["count"]) == 40 and np.all(np.diff(told["edges"]) > 0)


def test_bars_leave_out_what_has_no_value_and_what_lies_beyond():
    values = np.array([0.1, 0.25, np.nan, 0.65, 0.9])
    told = histogram(values, BY_KEY["equiangle_skewness"], 4, 0.0, 0.8)
    assert told["count"] == [1, 1, 0, 1] and told["edges"] == pytest.approx([0, 0.2, 0.4, 0.6, 0.8])
    assert histogram(np.full(3, np.nan), BY_KEY["warp"])["count"] == [0]
