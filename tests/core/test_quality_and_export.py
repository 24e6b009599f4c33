"""Metrics against VTK; the export against the standard's checker and a second reader."""

import json
import shutil
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import vtk
import yaml
from vtk.util.numpy_support import vtk_to_numpy

from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.mesh.building import tet_mesh
from intaglio.mesh.numbering import narrow_order, renumbered
from intaglio.mesh.validity import check
from intaglio.quality.cells import (
    dihedral_angles,
    equiangle_skewness,
    measure,
    tet_volumes,
)
from intaglio.quality.values import Values, cell_values
from intaglio.stages.volume import named_mesh
from tests.core import any_cells
from tests.core.shapes import pipe, run, source


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    """A pipe's run to the case: states, store and the named mesh."""
    states, store = run(source(pipe(), tmp_path_factory.mktemp("pipe")), "case")
    mesh = named_mesh(store.get(states["volume"].key), store.get(states["patches"].key))
    # as it is handed over, its cells numbered
    return states, store, renumbered(mesh, narrow_order(mesh))


@pytest.fixture(scope="module")
def files(whole):
    states, store, _ = whole
    arrays = store.get(states["case"].key).arrays
    return {n: arrays[n].tobytes() for n in states["case"].report["files"]}


def _random_tets(n=300):
    rng = np.random.default_rng(4)
    points = rng.random((4 * n, 3))
    tets = np.arange(4 * n, dtype=np.int32).reshape(n, 4)
    inverted = tet_volumes(points, tets) < 0
    tets[inverted] = tets[inverted][:, [1, 0, 2, 3]]
    return points, tets


def _vtk_cells(points, tets):
    for t in tets:
        cell = vtk.vtkTetra()
        for i in range(4):
            cell.GetPoints().SetPoint(i, *points[t[i]])
        yield cell


def test_volume_and_skewness_agree_with_vtk():
    points, tets = _random_tets()
    cells = list(_vtk_cells(points, tets))
    np.testing.assert_allclose(
        tet_volumes(points, tets), [vtk.vtkMeshQuality.TetVolume(c) for c in cells], rtol=1e-9
    )
    np.testing.assert_allclose(
        equiangle_skewness(points, tets),
        [vtk.vtkMeshQuality.TetEquiangleSkew(c) for c in cells],
        atol=1e-9,
    )


def test_dihedral_angles_agree_with_vtk_normals():
    points, tets = _random_tets(60)
    least, most = dihedral_angles(points, tets)
    faces = [(1, 2, 3), (0, 3, 2), (0, 1, 3), (0, 2, 1)]
    for k, t in enumerate(tets):
        normals = []
        for f in faces:
            n = [0.0, 0.0, 0.0]
            vtk.vtkTriangle.ComputeNormal(*(points[t[i]].tolist() for i in f), n)
            normals.append(n)
        angles = [
            180 - np.degrees(vtk.vtkMath.AngleBetweenVectors(normals[i], normals[j]))
            for i in range(4)
            for j in range(i)
        ]
        assert least[k] == pytest.approx(min(angles), abs=1e-9)
        assert most[k] == pytest.approx(max(angles), abs=1e-9)


def test_non_orthogonality_of_two_regular_cells_is_zero():
    apex = np.sqrt(2 / 3)
    points = np.array(
        [[0, 0, 0], [1, 0, 0], [0.5, np.sqrt(3) / 2, 0], [0.5, np.sqrt(3) / 6, apex],
         [0.5, np.sqrt(3) / 6, -apex]]
    )  # fmt: skip
    tets = np.array([[0, 1, 2, 3], [0, 2, 1, 4]], np.int32)
    mesh = tet_mesh(points, tets, np.zeros((0, 3), np.int32), np.zeros(0, np.int32), ())
    assert measure(mesh).non_orthogonality == pytest.approx([0.0], abs=1e-5)


@pytest.mark.slow
def test_the_standards_checker_has_nothing_to_say(files, tmp_path):
    assert shutil.which("cgnscheck"), "install cgns-convert"
    (tmp_path / "mesh.cgns").write_bytes(files["mesh.cgns"])
    done = subprocess.run(
        ["cgnscheck", str(tmp_path / "mesh.cgns")], capture_output=True, text=True, check=False
    )
    assert "checking complete" in done.stdout
    assert "WARNING" not in done.stdout.upper() and "ERROR" not in done.stdout.upper()
    assert done.returncode == 0


def test_a_second_reader_reads_the_same_mesh(whole, files, tmp_path):
    _, _, mesh = whole
    (tmp_path / "mesh.cgns").write_bytes(files["mesh.cgns"])
    reader = vtk.vtkCGNSReader()
    reader.SetFileName(str(tmp_path / "mesh.cgns"))
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.Update()
    grid = reader.GetOutput().GetBlock(0).GetBlock(0)
    np.testing.assert_array_equal(vtk_to_numpy(grid.GetPoints().GetData()), mesh.points)
    cells = vtk_to_numpy(grid.GetCells().GetConnectivityArray()).reshape(-1, 4)
    np.testing.assert_array_equal(cells, mesh.tets)


def test_reading_back_gives_the_same_patches(whole, files, tmp_path):
    _, _, mesh = whole
    (tmp_path / "mesh.cgns").write_bytes(files["mesh.cgns"])
    again = read_cgns(tmp_path / "mesh.cgns")
    assert (again.patches, again.unit) == (mesh.patches, mesh.unit)
    np.testing.assert_array_equal(again.points, mesh.points)
    np.testing.assert_array_equal(again.patch, mesh.patch)
    assert check(again) == []


def test_vtu_reads_back_with_its_values(whole, files, tmp_path):
    _, _, mesh = whole
    (tmp_path / "mesh.vtu").write_bytes(files["mesh.vtu"])
    reader = vtk.vtkXMLUnstructuredGridReader()
    reader.SetFileName(str(tmp_path / "mesh.vtu"))
    reader.Update()
    grid = reader.GetOutput()
    np.testing.assert_array_equal(vtk_to_numpy(grid.GetPoints().GetData()), mesh.points)
    held = vtk_to_numpy(grid.GetCellData().GetArray("volume"))
    np.testing.assert_array_equal(held, Values(mesh).of_cells("volume"))


def test_patch_files_close_around_the_fluid(whole, files, tmp_path):
    """VTK appends the patches' STL files, welds them, and measures the same volume."""
    _, _, mesh = whole
    append = vtk.vtkAppendPolyData()
    for patch in mesh.patches:
        path = tmp_path / f"{patch.name}.stl"
        path.write_bytes(files[f"patches/{patch.name}.stl"])
        reader = vtk.vtkSTLReader()
        reader.SetFileName(str(path))
        reader.Update()
        append.AddInputData(reader.GetOutput())
    clean = vtk.vtkCleanPolyData()
    clean.SetInputConnection(append.GetOutputPort())
    edges = vtk.vtkFeatureEdges()
    edges.SetInputConnection(clean.GetOutputPort())
    edges.FeatureEdgesOff()
    edges.ManifoldEdgesOff()
    edges.Update()
    assert edges.GetOutput().GetNumberOfCells() == 0
    mass = vtk.vtkMassProperties()
    mass.SetInputConnection(clean.GetOutputPort())
    volume = tet_volumes(mesh.points, mesh.tets).sum()
    assert mass.GetVolume() == pytest.approx(volume, rel=1e-5)


def test_report_and_case_say_what_is_in_the_mesh(whole, files):
    _, _, mesh = whole
    told = json.loads(files["report.json"])
    assert told["valid"] is True
    assert told["cells"] == len(mesh.tets) == told["cells_by_shape"]["tetrahedron"]
    assert sum(p["faces"] for p in told["patches"].values()) == (mesh.neighbour < 0).sum()
    assert {s["name"] for s in told["steps"]} >= {"geometry", "surface", "volume"}
    case = yaml.safe_load(files["case.yaml"])
    inlet = next(n for n, p in case["patches"].items() if p["kind"] == "inlet")
    # a circle of 14 mm, water at 1 m/s
    follows = case["patches"][inlet]["follows"]
    assert follows["reynolds"]["value"] == pytest.approx(998.2 * 0.014 / 1.002e-3, rel=0.02)
    assert "mesh.cgns" in files["README.txt"].decode()


@pytest.mark.parametrize("unit", ["mm", "m", "in", "µm"])
def test_units_reach_the_file(unit, whole, tmp_path):
    _, _, mesh = whole
    other = replace(mesh, unit=unit)
    write_cgns(other, tmp_path / "u.cgns")
    again = read_cgns(tmp_path / "u.cgns")
    expected = ("m", 1e-6) if unit == "µm" else (unit, 1.0)
    assert again.unit == expected[0]
    np.testing.assert_allclose(again.points, mesh.points * expected[1], rtol=1e-12)


@pytest.mark.parametrize("content", [b"", b"nonsense", b"\x89HDF\r\n\x1a\n" + b"\0" * 200])
def test_other_files_are_refused(content, tmp_path):
    from intaglio.errors import FileRejected

    path: Path = tmp_path / "x.cgns"
    path.write_bytes(content)
    with pytest.raises(FileRejected, match=r"x\.cgns"):
        read_cgns(path)


def test_cells_data_goes_into_vtu(whole):
    _, _, mesh = whole
    assert b"equiangle_skewness" in any_cells.vtu_bytes(
        mesh, cell_values(Values(mesh), Values(mesh).known())
    )
