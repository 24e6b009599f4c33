"""Meshes of every shape through building, metrics and slices: against VTK and closed forms."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import vtk
from vtk.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy

from intaglio.errors import StepFailed
from intaglio.mesh.building import NO_POLYGONS, cell_mesh, tet_mesh
from intaglio.mesh.cells import HEXAHEDRON, POLYHEDRON, PRISM, PYRAMID, SHAPES, TETRAHEDRON
from intaglio.mesh.drawing import boundary_arrays, cell_arrays, slice_arrays
from intaglio.mesh.mesh import Mesh, fan, following
from intaglio.mesh.slices import crossed_cells, cut_lines, flat_cut, outer_faces
from intaglio.mesh.storing import mesh_arrays, stored_mesh
from intaglio.mesh.validity import face_warp
from intaglio.quality.cells import measure
from intaglio.quality.report import patch_rows
from intaglio.quality.values import Values, cell_values
from tests.core import any_cells

_VTK = {TETRAHEDRON: 10, HEXAHEDRON: 12, PRISM: 13, PYRAMID: 14}
_SKEW = {
    TETRAHEDRON: vtk.vtkMeshQuality.TetEquiangleSkew,
    HEXAHEDRON: vtk.vtkMeshQuality.HexEquiangleSkew,
    PRISM: vtk.vtkMeshQuality.WedgeEquiangleSkew,
    PYRAMID: vtk.vtkMeshQuality.PyramidEquiangleSkew,
}
_VOLUME = {
    TETRAHEDRON: vtk.vtkMeshQuality.TetVolume,
    HEXAHEDRON: vtk.vtkMeshQuality.HexVolume,
    PRISM: vtk.vtkMeshQuality.WedgeVolume,
    PYRAMID: vtk.vtkMeshQuality.PyramidVolume,
}
MADE = {
    "tetrahedra": any_cells.tetrahedra,
    "pyramids": any_cells.pyramids,
    "prisms": any_cells.prisms,
    "hexahedra": any_cells.hexahedra,
    "mixed": any_cells.mixed,
    "polyhedra": lambda: any_cells.dual(any_cells.tetrahedra()),
    "zones": any_cells.two_zones,
}


@pytest.fixture(scope="module")
def meshes() -> dict[str, Mesh]:
    return {name: make() for name, make in MADE.items()}


@pytest.fixture(params=MADE)
def mesh(request, meshes) -> Mesh:
    return meshes[request.param]


@pytest.fixture(params=[n for n in MADE if n != "polyhedra"])
def standard(request, meshes) -> Mesh:
    return meshes[request.param]


def vtk_grid(mesh: Mesh) -> vtk.vtkUnstructuredGrid:
    """The mesh in VTK, read by VTK from a file of ours where it has polyhedra."""
    grid = vtk.vtkUnstructuredGrid()
    if (mesh.shape == POLYHEDRON).any():
        reader = vtk.vtkXMLUnstructuredGridReader()
        reader.SetReadFromInputString(True)
        reader.SetInputString(any_cells.vtu_bytes(mesh, {}))
        reader.Update()
        grid.DeepCopy(reader.GetOutput())
        return grid
    points = vtk.vtkPoints()
    points.SetData(numpy_to_vtk(mesh.points, deep=True))
    cells = vtk.vtkCellArray()
    cells.SetData(
        numpy_to_vtkIdTypeArray(mesh.cell_start, deep=True),
        numpy_to_vtkIdTypeArray(mesh.cell_nodes.astype(np.int64), deep=True),
    )
    grid.SetPoints(points)
    types = np.array([_VTK.get(k, 0) for k in range(5)], np.uint8)[mesh.shape]
    grid.SetCells(numpy_to_vtk(types, deep=True), cells)
    return grid


@pytest.mark.parametrize("shape", range(1, 5))
def test_the_reference_table_closes_and_looks_outward(shape):
    faces = SHAPES[shape].faces
    halves = [(f[i], f[(i + 1) % len(f)]) for f in faces for i in range(len(f))]
    assert len(set(halves)) == len(halves)
    assert {(b, a) for a, b in halves} == set(halves)
    # Euler: nodes - edges + faces = 2
    assert SHAPES[shape].nodes - len(halves) // 2 + len(faces) == 2
    assert len(SHAPES[shape].edges) == len(halves) // 2


def test_every_face_is_there_once_and_known_to_both_cells(mesh):
    inner = mesh.interior_faces
    assert (mesh.neighbour[:inner] >= 0).all() and (mesh.neighbour[inner:] < 0).all()
    assert (mesh.owner[:inner] < mesh.neighbour[:inner]).all()
    sorted_faces = {
        tuple(sorted(mesh.face_nodes[a:b].tolist())) for a, b in pairwise(mesh.face_start)
    }
    assert len(sorted_faces) == mesh.faces
    if not (mesh.shape == POLYHEDRON).any():
        # counted by hand: each cell has as many faces as its shape
        wanted = sum(len(SHAPES[s].faces) for s in mesh.shape)
        assert mesh.faces + inner == wanted


def test_boundary_faces_stand_in_the_order_of_their_patches(mesh):
    rim = mesh.patch[mesh.interior_faces :]
    assert (np.diff(rim) >= 0).all() and (rim >= 0).all()


def test_volumes_and_skewness_agree_with_vtk(standard):
    measured = measure(standard)
    grid = vtk_grid(standard)
    for c in range(standard.cells):
        shape, cell = int(standard.shape[c]), grid.GetCell(c)
        assert measured.volume[c] == pytest.approx(_VOLUME[shape](cell), rel=1e-12)
        assert measured.skewness[c] == pytest.approx(_SKEW[shape](cell), abs=1e-9)


def test_volumes_of_hexahedra_are_those_of_the_trilinear_map(meshes):
    """Gauss points integrate the Jacobian of the trilinear map exactly."""
    mesh = meshes["hexahedra"]
    at = 0.5 + np.array([-1, 1]) / (2 * np.sqrt(3))
    corner = mesh.points[mesh.cell_nodes.reshape(-1, 8)]
    signs = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0],
                      [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]])  # fmt: skip
    total = np.zeros(mesh.cells)
    for u in np.array(np.meshgrid(at, at, at)).reshape(3, -1).T:
        part = np.where(signs == 1, u, 1 - u)
        slope = np.where(signs == 1, 1.0, -1.0)
        rows = [slope[:, i] * part[:, (i + 1) % 3] * part[:, (i + 2) % 3] for i in range(3)]
        jacobian = np.einsum("in,cnj->cij", np.array(rows), corner)
        total += np.linalg.det(jacobian) / 8
    np.testing.assert_allclose(measure(mesh).volume, total, rtol=1e-12)


@pytest.mark.parametrize("name", ["pyramids", "polyhedra", "hexahedra"])
def test_cells_fill_the_block_however_it_is_parted(meshes, name):
    """The dual fills what its tetrahedra fill; pyramids what their hexahedra fill."""
    same = {"pyramids": "hexahedra", "polyhedra": "tetrahedra", "hexahedra": "pyramids"}[name]
    volumes = [measure(meshes[n]).volume.sum() for n in (name, same)]
    assert volumes[0] == pytest.approx(volumes[1], rel=1e-12)


def test_centroids_are_those_of_a_split_from_another_apex(mesh):
    """Volume and first moment of each cell from tetrahedra over its faces' triangles about their
    centres, from an apex far outside; VTK measures the volume of the same triangles."""
    measured = measure(mesh)
    apex = np.array([-7.0, 3.0, 11.0])
    for c in range(0, mesh.cells, max(1, mesh.cells // 40)):
        outline = outer_faces(mesh, np.array([c]))
        corners = []
        for a, b in pairwise(outline.start):
            ring = mesh.points[outline.nodes[a:b]]
            middle = np.broadcast_to(ring.mean(axis=0), ring.shape)
            corners.append(np.stack([middle, ring, np.roll(ring, -1, axis=0)], axis=1))
        p = np.concatenate(corners)
        part = np.linalg.det(p - apex) / 6
        moment = (part[:, None] * (p.sum(axis=1) + apex)).sum(axis=0) / 4
        np.testing.assert_allclose(measured.centroid[c], moment / part.sum(), atol=1e-9)
        data = vtk.vtkPolyData()
        spots = vtk.vtkPoints()
        spots.SetData(numpy_to_vtk(p.reshape(-1, 3).copy(), deep=True))
        polys = vtk.vtkCellArray()
        polys.SetData(3, numpy_to_vtkIdTypeArray(np.arange(3 * len(p)), deep=True))
        data.SetPoints(spots)
        data.SetPolys(polys)
        mass = vtk.vtkMassProperties()
        mass.SetInputData(data)
        assert measured.volume[c] == pytest.approx(mass.GetVolume(), rel=1e-6)


def test_dihedral_angles_of_a_cube_a_prism_and_a_pyramid():
    box = any_cells.hexahedra((2, 2, 2), lambda u: u)
    assert measure(box).least_dihedral == pytest.approx(90.0)
    assert measure(box).largest_dihedral == pytest.approx(90.0)
    half = any_cells.prisms((1, 1, 1), lambda u: u)
    assert measure(half).least_dihedral == pytest.approx(45.0)
    sixth = any_cells.pyramids((1, 1, 1), lambda u: u)
    # side faces lean over the square base by 45°, and meet each other at 120°
    assert measure(sixth).least_dihedral == pytest.approx(45.0)
    assert measure(sixth).largest_dihedral == pytest.approx(120.0)


def test_an_edge_that_turns_inward_has_more_than_180_degrees():
    """The dual cell at a boundary node of a block's inner corner sees three quarters of a turn."""
    points, h = any_cells.block((2, 2, 1), lambda u: 2 * u)
    ell = np.delete(h, 3, axis=0)
    used, local = np.unique(ell, return_inverse=True)
    cells = local.reshape(-1, 8)
    ways = [(1, 2), (2, 3), (3, 7), (7, 4), (4, 5), (5, 1)]
    tets = np.concatenate([cells[:, [0, a, b, 6]] for a, b in ways]).astype(np.int32)
    none = np.zeros((0, 3), np.int32)
    mesh = any_cells.dual(tet_mesh(points[used], tets, none, none[:, 0], ()))
    measured = measure(mesh)
    assert measured.largest_dihedral.max() == pytest.approx(270.0, abs=1e-6)
    assert measured.volume.sum() == pytest.approx(2 * 2 * 2 - 1 * 1 * 2, rel=1e-12)


def test_non_orthogonality_and_ratio_of_sheared_and_graded_blocks():
    shear = any_cells.hexahedra(
        (4, 3, 3), lambda u: u @ np.array([[1, 0, 0], [0, 1, 0], [1, 0, 1]])
    )
    # a shear by 45° leans the lines between layers, and nothing else
    angles = np.unique(measure(shear).non_orthogonality.round(4))
    np.testing.assert_allclose(angles, [0.0, 45.0], atol=1e-5)
    graded = any_cells.hexahedra(
        (5, 1, 1), lambda u: np.column_stack([2 ** (5 * u[:, 0]), u[:, 1:]])
    )
    np.testing.assert_allclose(measure(graded).volume_ratio, 2.0, rtol=1e-12)


def test_metrics_of_faces_come_to_the_worse_of_their_cells(mesh):
    measured = measure(mesh)
    metrics = cell_values(Values(mesh, measured), Values(mesh).known())
    n = mesh.interior_faces
    worst = np.zeros(mesh.cells)
    for f in range(n):
        for c in (mesh.owner[f], mesh.neighbour[f]):
            worst[c] = max(worst[c], measured.non_orthogonality[f])
    np.testing.assert_allclose(metrics["non_orthogonality"], worst)


NORMALS = [(1.0, 0.0, 0.0), (0.0, 0.0, 1.0), (0.6, 0.0, 0.8), (0.36, 0.48, 0.8)]


@pytest.mark.parametrize("normal", NORMALS)
def test_the_flat_cut_agrees_with_vtk(mesh, normal):
    offset = float(mesh.points.mean(axis=0) @ normal) + 0.013
    cut = flat_cut(mesh, np.array(normal), offset)
    triangles, _ = fan(cut.start, np.arange(len(cut.points)))
    p = cut.points[triangles]
    area = 0.5 * (np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]) @ normal).sum()
    plane = vtk.vtkPlane()
    plane.SetNormal(normal)
    plane.SetOrigin(*(offset * np.array(normal)))
    cutter = vtk.vtkCutter()
    cutter.SetCutFunction(plane)
    cutter.SetInputData(vtk_grid(mesh))
    split = vtk.vtkTriangleFilter()
    split.SetInputConnection(cutter.GetOutputPort())
    mass = vtk.vtkMassProperties()
    mass.SetInputConnection(split.GetOutputPort())
    # a warped quadrilateral is cut as a bilinear patch by neither: both follow its edges
    tolerance = 1e-9 if faces_are_plane(mesh) else 5e-3
    assert area == pytest.approx(mass.GetSurfaceArea(), rel=tolerance)
    np.testing.assert_allclose(cut.points @ normal, offset, atol=1e-12)


@pytest.mark.parametrize("normal", NORMALS)
def test_lines_of_a_cut_are_its_outline(mesh, normal):
    """As long as the edges that one polygon of the cut alone has."""
    offset = float(mesh.points.mean(axis=0) @ normal) + 0.013
    cut = flat_cut(mesh, np.array(normal), offset)
    place = np.unique(cut.points.round(10), axis=0, return_inverse=True)[1].ravel()
    after = following(cut.start, np.arange(len(place)))
    ends = np.sort(np.stack([place, place[after]], axis=1), axis=1)
    _, first, count = np.unique(ends, axis=0, return_index=True, return_counts=True)
    away = np.linalg.norm(cut.points[after] - cut.points, axis=1)
    lines = cut_lines(mesh, np.array(normal), offset)
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    np.testing.assert_allclose(lines.reshape(-1, 3) @ normal, offset, atol=1e-12)
    inner = cut_lines(replace(mesh, patch=np.where(mesh.neighbour < 0, mesh.patch, -1)),
                      np.array(normal), offset)  # fmt: skip
    outline = np.linalg.norm(inner[:, 1] - inner[:, 0], axis=1).sum()
    assert outline == pytest.approx(away[first[count == 1]].sum(), rel=1e-9)
    assert length.sum() >= outline - 1e-9


def faces_are_plane(mesh: Mesh) -> bool:
    return bool(face_warp(mesh).max() < 1e-4)


def test_a_plane_through_nodes_is_cut_once():
    box = any_cells.hexahedra((4, 3, 3), lambda u: u)
    cut = flat_cut(box, np.array([1.0, 0, 0]), 0.5)
    assert len(cut.cell) == 9
    triangles, _ = fan(cut.start, np.arange(len(cut.points)))
    p = cut.points[triangles]
    assert np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])[:, 0].sum() / 2 == pytest.approx(1.0)


def test_whole_cells_of_a_slice_are_bounded_outward(mesh):
    normal = np.array([0.36, 0.48, 0.8])
    offset = float(mesh.points.mean(axis=0) @ normal)
    cells = crossed_cells(mesh, normal, offset)
    height = mesh.points @ normal - offset
    by_hand = [
        c
        for c, (a, b) in enumerate(pairwise(mesh.cell_start))
        if height[mesh.cell_nodes[a:b]].min() <= 0 < height[mesh.cell_nodes[a:b]].max()
    ]
    assert cells.tolist() == by_hand and 0 < len(cells) < mesh.cells
    outline = outer_faces(mesh, cells)
    assert set(outline.cell) <= set(cells.tolist())
    total = 0.0
    for a, b in pairwise(outline.start):
        ring = mesh.points[outline.nodes[a:b]]
        middle = ring.mean(axis=0)
        total += np.einsum(
            "ij,ij->i", np.cross(ring, np.roll(ring, -1, axis=0)), [middle] * len(ring)
        ).sum()
    assert total / 6 == pytest.approx(measure(mesh).volume[cells].sum(), rel=1e-9)


def test_drawn_faces_show_edges_of_cells_and_no_diagonals(mesh):
    value = np.arange(mesh.cells, dtype=np.float32)
    some = np.arange(0, mesh.cells, 3)
    drawn = [
        boundary_arrays(mesh),
        cell_arrays(mesh, some, value),
        slice_arrays(mesh, np.array([1.0, 0, 0]), 0.9, value, False)[0],
    ]
    edges = set()
    for a, b in pairwise(mesh.face_start):
        ring = mesh.points[mesh.face_nodes[a:b]].astype(np.float32)
        for p, q in zip(ring, np.roll(ring, -1, axis=0), strict=True):
            edges.add(frozenset((tuple(p), tuple(q))))
    for arrays in drawn:
        for triangle, sides in zip(arrays["triangles"], arrays["sides"], strict=True):
            ring = arrays["points"][triangle]
            for i in range(3):
                side = frozenset((tuple(ring[i]), tuple(ring[(i + 1) % 3])))
                assert (side in edges) == bool(sides >> i & 1)


def test_patches_have_the_area_that_vtk_measures(mesh):
    rows = patch_rows(mesh)
    surface = vtk.vtkGeometryFilter()
    surface.SetInputData(vtk_grid(mesh))
    split = vtk.vtkTriangleFilter()
    split.SetInputConnection(surface.GetOutputPort())
    mass = vtk.vtkMassProperties()
    mass.SetInputConnection(split.GetOutputPort())
    outer = [r for r in rows if r["kind"] != "interface"]
    assert sum(r["area"] for r in outer) == pytest.approx(mass.GetSurfaceArea(), rel=2e-3)
    assert sum(r["faces"] for r in outer) == (mesh.neighbour < 0).sum()


def test_a_product_gives_the_mesh_back(mesh):
    again = stored_mesh(mesh_arrays(mesh), mesh.patches, mesh.zones, mesh.unit)
    for name, held in mesh_arrays(mesh).items():
        np.testing.assert_array_equal(mesh_arrays(again)[name], held)


def test_a_product_of_version_0_3_opens():
    mesh = any_cells.tetrahedra()
    rim = mesh.patch >= 0
    old = {
        "points": mesh.points,
        "tets": mesh.tets,
        "zone": mesh.zone,
        "triangles": mesh.face_nodes.reshape(-1, 3)[rim],
        "region": mesh.patch[rim],
    }
    again = stored_mesh(old, (), mesh.zones, "mm")
    assert len(again.patches) == len(mesh.patches)
    np.testing.assert_array_equal(again.face_nodes, mesh.face_nodes)
    np.testing.assert_array_equal(again.patch, mesh.patch)


def test_three_cells_at_one_face_are_refused_with_the_place():
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0, 2], [0, 0, -1]], float)
    tets = np.array([[0, 1, 2, 3], [0, 1, 2, 4], [0, 2, 1, 5]], np.int32)
    with pytest.raises(StepFailed, match="face that two other") as caught:
        cell_mesh(points, np.full(3, TETRAHEDRON, np.int8), np.arange(4) * 4, tets.ravel(),
                  NO_POLYGONS, ())  # fmt: skip
    assert caught.value.places


def test_numbers_out_of_range_are_refused():
    tets = np.array([0, 1, 2, 9], np.int32)
    with pytest.raises(StepFailed, match="beyond the 4"):
        cell_mesh(np.eye(4, 3), np.full(1, TETRAHEDRON, np.int8), np.array([0, 4]), tets,
                  NO_POLYGONS, ())  # fmt: skip


def test_no_limit_at_two_million_points():
    """Products of three node numbers would overflow here; the table of faces does not care."""
    mesh = any_cells.tetrahedra((2, 2, 2))
    far = 3_000_000
    points = np.concatenate([np.zeros((far, 3)), mesh.points])
    again = cell_mesh(points, mesh.shape, mesh.cell_start, (mesh.cell_nodes + far).astype(np.int32),
                      NO_POLYGONS, ())  # fmt: skip
    np.testing.assert_array_equal(again.face_nodes - far, _plain(mesh).face_nodes)


def _plain(mesh: Mesh) -> Mesh:
    return cell_mesh(mesh.points, mesh.shape, mesh.cell_start, mesh.cell_nodes, NO_POLYGONS, ())


def test_vtk_reads_the_polyhedra_as_they_are(meshes):
    mesh = meshes["polyhedra"]
    grid = vtk_grid(mesh)
    sizes = vtk.vtkCellSizeFilter()
    sizes.SetInputData(grid)
    sizes.Update()
    held = vtk_to_numpy(sizes.GetOutput().GetCellData().GetArray("Volume"))
    assert grid.GetNumberOfCells() == mesh.cells
    # VTK parts warped faces another way than from their centres
    np.testing.assert_allclose(np.abs(held), measure(mesh).volume, rtol=0.05)
    assert grid.GetCell(100).GetNumberOfFaces() > 6
