"""Meshes of every shape written and read: the standard's checker, VTK's readers, files of others,
damaged files."""

import base64
import dataclasses
import subprocess
import zlib
from itertools import pairwise

import h5py
import numpy as np
import pytest
import vtk
from vtk.util.numpy_support import vtk_to_numpy

from intaglio.errors import FileRejected, IntaglioError
from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.formats.stl import patch_differences, read_stl, write_patches
from intaglio.formats.vtu import read_vtu, write_vtu
from intaglio.mesh.cells import POLYHEDRON, PRISM
from intaglio.mesh.mesh import Mesh, Patch, Zone
from intaglio.mesh.periodic import paired_patches
from intaglio.mesh.recognising import with_standard_shapes
from intaglio.mesh.storing import mesh_arrays
from intaglio.mesh.validity import check
from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings, report
from intaglio.quality.values import Values, cell_values
from tests.core import any_cells
from tests.core.test_any_cells import MADE
from tests.core.test_parting import HALF, cut_open, faces_on
from tests.core.test_validity import wedge, with_pair


def _plate() -> Mesh:
    whole = any_cells.hexahedra()
    return cut_open(whole, faces_on(whole, *HALF))[0]


MESHES = {**MADE, "sector": lambda: with_pair(wedge()), "plate": _plate}


@pytest.fixture(params=MESHES)
def mesh(request) -> Mesh:
    return MESHES[request.param]()


def sides(mesh: Mesh) -> set:
    """The sides of sheets by patch and nodes, in pairs."""

    def told(face: int) -> tuple:
        nodes = mesh.face_nodes[mesh.face_start[face] : mesh.face_start[face + 1]]
        return int(mesh.patch[face]), tuple(sorted(nodes.tolist())), int(mesh.owner[face])

    return {frozenset(told(f) for f in pair) for pair in mesh.sheets.tolist()}


def same(one: Mesh, other: Mesh) -> None:
    assert (one.patches, one.zones, one.unit) == (other.patches, other.zones, other.unit)
    assert sides(one) == sides(other)
    if len(one.sheets):
        # the faces of a side come in another order from a file
        assert len(one.sheets) == 12
        for name in ("points", "shape", "cell_start", "cell_nodes", "patch", "zone", "neighbour"):
            np.testing.assert_array_equal(getattr(other, name), getattr(one, name), err_msg=name)
        return
    for name, held in mesh_arrays(one).items():
        np.testing.assert_array_equal(mesh_arrays(other)[name], held, err_msg=name)


def test_the_standards_checker_has_nothing_to_say(mesh, tmp_path):
    write_cgns(mesh, tmp_path / "mesh.cgns")
    done = subprocess.run(
        ["cgnscheck", str(tmp_path / "mesh.cgns")], capture_output=True, text=True, check=False
    )
    told = (done.stdout + done.stderr).upper()
    assert "CHECKING COMPLETE" in told and done.returncode == 0
    assert "WARNING" not in told and "ERROR" not in told, told


def test_cgns_gives_the_mesh_back(mesh, tmp_path):
    """Cells and their order, patches and their kinds, zones and theirs, pairs, faces."""
    write_cgns(mesh, tmp_path / "mesh.cgns")
    again = read_cgns(tmp_path / "mesh.cgns")
    same(mesh, again)
    assert check(again) == []
    assert [paired_patches(again, p).tolist() for p in again.periodic] == [
        paired_patches(mesh, p).tolist() for p in mesh.periodic
    ]


def test_vtu_gives_the_mesh_back(mesh, tmp_path):
    write_vtu(mesh, tmp_path / "mesh.vtu", cell_values(Values(mesh), Values(mesh).known()))
    again = read_vtu(tmp_path / "mesh.vtu")
    same(dataclasses.replace(mesh, periodic=()), again)
    assert check(again) == []


def test_vtk_reads_the_same_cells_from_cgns(mesh, tmp_path):
    write_cgns(mesh, tmp_path / "mesh.cgns")
    reader = vtk.vtkCGNSReader()
    reader.SetFileName(str(tmp_path / "mesh.cgns"))
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.Update()
    base = reader.GetOutput().GetBlock(0)
    volume, cells = 0.0, 0
    for k in range(base.GetNumberOfBlocks()):
        sizes = vtk.vtkCellSizeFilter()
        sizes.SetInputData(base.GetBlock(k))
        sizes.Update()
        held = vtk_to_numpy(sizes.GetOutput().GetCellData().GetArray("Volume"))
        volume += np.abs(held).sum()
        cells += base.GetBlock(k).GetNumberOfCells()
    assert cells == mesh.cells
    # VTK parts warped faces another way than from their centres, those of polyhedra by the cell
    tolerance = 2e-2 if (mesh.shape == POLYHEDRON).any() else 2e-3
    assert volume == pytest.approx(measure(mesh).volume.sum(), rel=tolerance)


def test_vtk_reads_the_same_cells_from_vtu(mesh, tmp_path):
    path = tmp_path / "mesh.vtu"
    metrics = cell_values(Values(mesh), Values(mesh).known())
    write_vtu(mesh, path, metrics)
    reader = vtk.vtkXMLUnstructuredGridReader()
    reader.SetFileName(str(path))
    reader.Update()
    grid = reader.GetOutput()
    np.testing.assert_array_equal(vtk_to_numpy(grid.GetPoints().GetData()), mesh.points)
    assert grid.GetNumberOfCells() == mesh.cells
    for c in range(0, mesh.cells, max(1, mesh.cells // 30)):
        ids = grid.GetCell(c).GetPointIds()
        own = mesh.cell_nodes[mesh.cell_start[c] : mesh.cell_start[c + 1]]
        assert {ids.GetId(i) for i in range(ids.GetNumberOfIds())} == set(own.tolist())
    held = vtk_to_numpy(grid.GetCellData().GetArray("volume"))
    np.testing.assert_array_equal(held, metrics["volume"])


@pytest.mark.parametrize("mode", ["ascii", "base64", "raw", "zlib", "zlib raw", "big", "u8"])
def test_files_that_vtk_writes_are_read(mode, tmp_path):
    mesh = any_cells.mixed() if mode != "u8" else any_cells.dual(any_cells.tetrahedra())
    source = vtk.vtkXMLUnstructuredGridReader()
    source.SetReadFromInputString(True)
    source.SetInputString(any_cells.vtu_bytes(mesh, {}))
    source.Update()
    grid = source.GetOutput()
    grid.GetFieldData().Initialize()
    writer = vtk.vtkXMLUnstructuredGridWriter()
    writer.SetInputData(grid)
    writer.SetFileName(str(tmp_path / "theirs.vtu"))
    writer.SetCompressorTypeToZLib() if "zlib" in mode else writer.SetCompressorTypeToNone()
    if mode == "ascii":
        writer.SetDataModeToAscii()
    elif mode in ("base64", "zlib"):
        writer.SetDataModeToBinary()
    else:
        writer.SetDataModeToAppended()
        writer.SetEncodeAppendedData(mode == "big")
    if mode == "big":
        writer.SetByteOrderToBigEndian()
    if mode == "u8":
        writer.SetHeaderTypeToUInt64()
    writer.Write()
    again = read_vtu(tmp_path / "theirs.vtu")
    assert again.patches == (Patch("boundary", "wall"),)
    np.testing.assert_array_equal(again.shape, mesh.shape)
    np.testing.assert_allclose(measure(again).volume, measure(mesh).volume, rtol=1e-6)
    assert check(again) == []


def test_polyhedra_that_are_standard_cells_are_taken_as_such():
    mesh = any_cells.mixed()
    order = np.random.default_rng(5)
    start, nodes = mesh.cell_start, mesh.cell_nodes.copy()
    for a, b in pairwise(start):
        order.shuffle(nodes[a:b])
    plain = dataclasses.replace(mesh, shape=np.zeros_like(mesh.shape), cell_nodes=nodes)
    again = with_standard_shapes(plain)
    np.testing.assert_array_equal(again.shape, mesh.shape)
    assert check(again) == []
    np.testing.assert_allclose(measure(again).volume, measure(mesh).volume, rtol=1e-12)
    # a block of five sides that is no prism stays what it is
    dual = any_cells.dual(any_cells.tetrahedra())
    assert (with_standard_shapes(dual).shape == dual.shape).all()


def test_zones_of_both_kinds_and_their_interface_are_kept(tmp_path):
    mesh = any_cells.two_zones()
    write_cgns(mesh, tmp_path / "z.cgns")
    again = read_cgns(tmp_path / "z.cgns")
    assert again.zones == (Zone("water"), Zone("steel", "solid"))
    between = again.patch == [p.name for p in again.patches].index("between")
    assert (again.neighbour[between] >= 0).all() and between.sum() == 9


def test_a_periodic_pair_keeps_its_turn_in_full_precision(tmp_path):
    mesh = with_pair(wedge())
    write_cgns(mesh, tmp_path / "p.cgns")
    (pair,) = read_cgns(tmp_path / "p.cgns").periodic
    np.testing.assert_array_equal(pair.turn, mesh.periodic[0].turn)
    # the standard's own numbers alone, in single precision, match to what they can tell
    with h5py.File(tmp_path / "p.cgns", "a") as file:
        gone = []
        file.visit(lambda n: gone.append(n) if n.endswith("/Carried") else None)
        for name in gone:
            del file[name]
    (rough,) = read_cgns(tmp_path / "p.cgns").periodic
    np.testing.assert_allclose(rough.turn, pair.turn, atol=1e-6)
    np.testing.assert_array_equal(rough.faces, pair.faces)


def test_signs_of_faces_are_found_where_a_file_gives_none(tmp_path):
    mesh = any_cells.dual(any_cells.tetrahedra())
    write_cgns(mesh, tmp_path / "n.cgns")
    with h5py.File(tmp_path / "n.cgns", "a") as file:
        held = file["Intaglio/fluid/Cells/ElementConnectivity/ data"]
        held[...] = np.abs(held[()])
    assert check(read_cgns(tmp_path / "n.cgns")) == []


def test_patch_files_split_quadrilaterals(mesh, tmp_path):
    write_patches(mesh, tmp_path)
    assert list(patch_differences(mesh, tmp_path)) == []
    corners = []
    for patch in mesh.patches:
        read = read_stl((tmp_path / f"{patch.name}.stl").read_bytes(), "x.stl")
        corners.append(read.points[read.triangles])
    p = np.concatenate(corners)
    enclosed = np.einsum("ij,ij->i", np.cross(p[:, 0], p[:, 1]), p[:, 2]).sum() / 6
    if len(mesh.zones) == 1:
        assert enclosed == pytest.approx(measure(mesh).volume.sum(), rel=2e-2)


def test_the_report_counts_cells_by_shape():
    mesh = any_cells.mixed()
    measured = measure(mesh)
    told = report(Values(mesh, measured), mesh_findings(mesh, measured))
    assert sum(told["cells_by_shape"].values()) == told["cells"] == mesh.cells
    assert told["cells_by_shape"]["prism"] == (mesh.shape == PRISM).sum()
    assert told["patches"]["left"]["faces"] == 9


def _read(kind: str, data: bytes, tmp_path):
    path = tmp_path / f"x.{kind}"
    path.write_bytes(data)
    return (read_cgns if kind == "cgns" else read_vtu)(path)


@pytest.mark.parametrize("kind", ["cgns", "vtu"])
@pytest.mark.parametrize("name", ["mixed", "polyhedra", "zones", "sector"])
def test_damaged_files_are_refused_in_words(kind, name, tmp_path):
    """Bytes changed at random, files cut short: a mesh or a refusal, never anything else."""
    mesh = with_pair(wedge()) if name == "sector" else MADE[name]()
    write_cgns(mesh, tmp_path / "m.cgns")
    good = (tmp_path / "m.cgns").read_bytes() if kind == "cgns" else any_cells.vtu_bytes(mesh, {})
    rng = np.random.default_rng(8)
    for k in range(60):
        data = bytearray(good)
        if k % 3 == 0:
            data = data[: int(rng.integers(len(data)))]
        else:
            for at in rng.integers(len(data), size=3 if k % 3 == 1 else 40):
                data[at] = int(rng.integers(256))
        try:
            check(_read(kind, bytes(data), tmp_path))
        except IntaglioError as error:
            assert f"x.{kind}" in error.message


@pytest.mark.parametrize("value", [0, -3, 10**6, 2**31 - 1])
def test_node_numbers_out_of_range_in_a_file_are_refused(value, tmp_path):
    write_cgns(any_cells.hexahedra(), tmp_path / "h.cgns")
    with h5py.File(tmp_path / "h.cgns", "a") as file:
        file["Intaglio/fluid/Cells/ElementConnectivity/ data"][5] = value
    with pytest.raises(FileRejected, match="beyond its"):
        read_cgns(tmp_path / "h.cgns")


@pytest.mark.parametrize(
    "damage, words",
    [
        (lambda f: f.__delitem__("Intaglio/fluid/GridCoordinates"), "no coordinates"),
        (lambda f: f.__delitem__("Intaglio/fluid/Cells"), "no cells"),
        (lambda f: f["Intaglio/fluid/Cells/ data"].__setitem__(0, 11), "type 11"),
        (lambda f: f["Intaglio/fluid/ZoneBC/left/PointRange/ data"].__setitem__(
            (slice(None), 0), [9000, 9010]), "no faces"),
        (lambda f: f["Intaglio/fluid/ZoneBC/left/PointRange/ data"].__setitem__(
            (slice(None), 0), [10, 1]), "backward"),
    ],
)  # fmt: skip
def test_what_a_cgns_file_lacks_is_told(damage, words, tmp_path):
    write_cgns(any_cells.hexahedra(), tmp_path / "h.cgns")
    with h5py.File(tmp_path / "h.cgns", "a") as file:
        damage(file)
    with pytest.raises(FileRejected, match=words):
        read_cgns(tmp_path / "h.cgns")


def test_a_vtu_with_other_cells_is_refused(tmp_path):
    text = any_cells.vtu_bytes(any_cells.tetrahedra((1, 1, 1)), {})
    with pytest.raises(FileRejected, match="no unstructured grid"):
        _read("vtu", text.replace(b"UnstructuredGrid", b"PolyData"), tmp_path)
    raw = zlib.compress(b"x")
    with pytest.raises(FileRejected):
        _read("vtu", b'<VTKFile type="UnstructuredGrid">' + base64.b64encode(raw), tmp_path)
