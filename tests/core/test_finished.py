"""A finished mesh as a study of its own: read, named, judged, exported."""

import json
from dataclasses import replace

import numpy as np
import pytest
import vtk
from vtk.util.numpy_support import numpy_to_vtk

from intaglio.cli import main
from intaglio.errors import FileRejected, StepFailed
from intaglio.formats.cgns import write_cgns
from intaglio.formats.vtu import read_vtu
from intaglio.mesh.building import faces_around
from intaglio.mesh.cells import SHAPES
from intaglio.mesh.mesh import Mesh, fan, rows
from intaglio.parts.source import Source
from intaglio.quality.cells import measure, measure_cells
from intaglio.quality.report import mesh_findings
from intaglio.quality.values import Values
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.finished import FINISHED_STAGES, is_finished
from intaglio.stages.registry import STAGES, stages_of
from intaglio.stages.volume import named_mesh
from tests.core import any_cells
from tests.core.test_any_cells import MADE, vtk_grid


def as_file(mesh: Mesh, kind: str, folder) -> Source:
    """A mesh as a file that was brought."""
    if kind == "vtu":
        return Source("brought.vtu", any_cells.vtu_bytes(mesh, {}))
    path = folder / "brought.cgns"
    write_cgns(mesh, path)
    return Source(path.name, path.read_bytes())


def run(source: Source, target: str, given=None):
    store = MemoryStore()
    run_to("volume", source, "brought", given or {}, store)
    states = run_to(target, source, "brought", given or {}, store)
    return {s.stage: s for s in states}, store


def test_files_of_meshes_are_known_by_their_names():
    assert is_finished("wing.CGNS") and is_finished("a.vtu") and not is_finished("a.step")
    assert stages_of("a.cgns", {}) is FINISHED_STAGES and stages_of("a.step", {}) is STAGES
    assert [s.key for s in FINISHED_STAGES] == ["domain", "volume", "patches", "case"]


@pytest.mark.parametrize("kind", ["cgns", "vtu"])
@pytest.mark.parametrize("name", MADE)
def test_a_mesh_of_any_cells_is_judged_as_it_is(name, kind, tmp_path):
    mesh = MADE[name]()
    states, store = run(as_file(mesh, kind, tmp_path), "patches")
    report = states["volume"].report
    assert report["cells"] == mesh.cells and report["verdict"]["rows"]
    values = Values(mesh)
    assert report["volume"] == pytest.approx(values.measured.volume.sum(), rel=1e-12)
    for key in ("non_orthogonality", "face_orthogonality", "volume_ratio", "aspect_ratio"):
        told = report["quality"][key]
        samples = values.samples(key)
        assert told["max"] == pytest.approx(samples.max(), rel=1e-9)
        assert told["mean"] == pytest.approx(samples.mean(), rel=1e-9)
    assert "size_ratio" not in report["quality"]
    rows = {r["name"]: r["kind"] for r in states["patches"].report["patches"]}
    assert rows == {p.name: p.kind for p in mesh.patches}
    zones = states["domain"].report["zones"]
    assert [z["name"] for z in zones] == [z.name for z in mesh.zones]
    again = named_mesh(store.get(states["volume"].key), store.get(states["patches"].key))
    assert again.patches == mesh.patches
    np.testing.assert_array_equal(again.points, mesh.points)


def test_patches_are_renamed_and_exported(tmp_path):
    mesh = any_cells.mixed()
    first = mesh.patches[0].name
    given = {
        "patches": {
            "patches": [
                {"name": "feed", "kind": "inlet", "faces": [first]},
                {"name": "shell", "kind": "wall", "faces": "rest"},
            ]
        }
    }
    states, store = run(as_file(mesh, "cgns", tmp_path), "case", given)
    assert states["case"].report["valid"]
    files = store.get(states["case"].key).arrays
    assert {"mesh.cgns", "mesh.vtu", "patches/feed.stl", "patches/shell.stl"} < set(files)
    told = json.loads(files["report.json"].tobytes())
    faces = {name: row["faces"] for name, row in told["patches"].items()}
    assert faces["feed"] == (mesh.patch == 0).sum()
    assert faces["feed"] + faces["shell"] == (mesh.patch >= 0).sum()
    assert told["cells"] == mesh.cells and "verdict" in told


def test_a_grid_that_another_wrote_is_judged(tmp_path):
    """As VTK's own writer writes it: cells alone, no patches, no zones, no unit."""
    mesh = any_cells.mixed()
    grid = vtk_grid(mesh)
    values = numpy_to_vtk(np.arange(mesh.cells, dtype=float), deep=True)
    values.SetName("pressure")
    grid.GetCellData().AddArray(values)
    writer = vtk.vtkXMLUnstructuredGridWriter()
    writer.SetFileName(str(tmp_path / "other.vtu"))
    writer.SetInputData(grid)
    writer.Write()
    source = Source("other.vtu", (tmp_path / "other.vtu").read_bytes())
    states, _ = run(source, "patches")
    report = states["volume"].report
    assert report["cells"] == mesh.cells
    assert not [f for f in report["findings"] if f["level"] == "error"]
    # one patch, whose faces are cut apart at sharp edges so that they can be named
    (patch,) = states["patches"].report["patches"]
    assert len(patch["faces"]) == 6
    areas = sorted(f["area"] for f in states["domain"].report["faces"])
    by_patch = sorted(_area(mesh, k) for k in range(6))
    assert areas == pytest.approx(by_patch, rel=1e-9)
    area = sum(p["area"] for p in states["patches"].report["patches"])
    assert area == pytest.approx(states["domain"].report["area"])


def _grid(points, cells, path):
    """A file of cells (type, nodes; of polyhedra the stream of their faces) as VTK writes it."""
    grid, spots = vtk.vtkUnstructuredGrid(), vtk.vtkPoints()
    spots.SetDataTypeToDouble()
    for p in points:
        spots.InsertNextPoint(*p)
    grid.SetPoints(spots)
    for kind, numbers in cells:
        held = vtk.vtkIdList()
        for n in numbers:
            held.InsertNextId(int(n))
        grid.InsertNextCell(kind, held)
    writer = vtk.vtkXMLUnstructuredGridWriter()
    writer.SetFileName(str(path))
    writer.SetInputData(grid)
    writer.Write()


def test_prisms_that_run_the_other_way_round_are_taken_with_a_note(tmp_path, capsys):
    mesh = any_cells.prisms((3, 2, 2))
    nodes = mesh.cell_nodes.reshape(-1, 6)
    # every second one as the class's picture has it
    cells = [
        (13, (row[[0, 2, 1, 3, 5, 4]] if k % 2 else row).tolist()) for k, row in enumerate(nodes)
    ]
    _grid(mesh.points, cells, tmp_path / "other.vtu")
    read = read_vtu(tmp_path / "other.vtu")
    assert (measure_cells(read).volume > 0).all()
    np.testing.assert_array_equal(read.cell_nodes, mesh.cell_nodes)
    assert main(["check", str(tmp_path / "other.vtu"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    (note,) = [f for f in told["findings"] if f["code"] == "read-otherwise"]
    assert f"{len(nodes) // 2} of {len(nodes)} prisms" in note["message"]
    states, _ = run(Source("other.vtu", (tmp_path / "other.vtu").read_bytes()), "patches")
    assert note["message"] in [f["message"] for f in states["domain"].report["findings"]]


def test_boxes_along_the_axes_and_faces_among_the_cells(tmp_path):
    """Two voxels, the triangle and line that a writer put between them, and a polyhedron."""
    points = [(x, y, z) for z in (0, 1) for y in (0, 1) for x in (0, 1, 2)] + [(3, 0.5, 0.5)]
    first = [0, 1, 3, 4, 6, 7, 9, 10]
    faces = [(2, 8, 11, 5), (2, 5, 12), (5, 11, 12), (11, 8, 12), (8, 2, 12)]
    stream = [len(faces), *(n for f in faces for n in (len(f), *f))]
    second = [n + 1 for n in first]
    cells = [(11, first), (5, [0, 1, 4]), (11, second), (3, [0, 1]), (42, stream)]
    _grid(points, cells, tmp_path / "mixed.vtu")
    read = read_vtu(tmp_path / "mixed.vtu")
    assert [SHAPES[k].name for k in read.shape] == ["hexahedron", "hexahedron", "pyramid"]
    assert measure_cells(read).volume == pytest.approx([1.0, 1.0, 1.0 / 3.0])
    assert read.notes == ("2 points, lines and polygons among the cells are left out.",)


@pytest.mark.parametrize("share", [1.0, 0.5])
def test_faces_of_polyhedra_may_run_either_way(share, tmp_path):
    mesh = any_cells.dual(any_cells.tetrahedra((2, 2, 2)))
    first, around = faces_around(mesh.owner, mesh.neighbour, mesh.cells)
    turn = np.random.default_rng(1)
    cells = []
    for c in range(mesh.cells):
        stream = [int(first[c + 1] - first[c])]
        for f in around[first[c] : first[c + 1]]:
            nodes = rows(mesh.face_start, mesh.face_nodes, np.array([max(f, ~f)]))[1].tolist()
            turned = (f < 0) != (turn.random() < share)
            stream += [len(nodes), *(nodes[::-1] if turned else nodes)]
        cells.append((42, stream))
    _grid(mesh.points, cells, tmp_path / "other.vtu")
    read = read_vtu(tmp_path / "other.vtu")
    assert measure_cells(read).volume == pytest.approx(measure_cells(mesh).volume, rel=1e-12)
    assert not mesh_findings(read, measure(read))
    assert "do not run outward" in read.notes[0]


def _area(mesh: Mesh, patch: int) -> float:
    start, nodes = rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(mesh.patch == patch))
    p = mesh.points[fan(start, nodes)[0]]
    return 0.5 * float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum())


def test_a_mesh_that_is_not_valid_is_told_and_not_handed_over(tmp_path):
    mesh = any_cells.tetrahedra()
    points = mesh.points.copy()
    inner = np.setdiff1d(
        np.arange(len(points)), mesh.face_nodes[mesh.face_start[mesh.interior_faces] :]
    )
    points[inner[0]] += 5.0
    source = as_file(replace(mesh, points=points), "vtu", tmp_path)
    states, _ = run(source, "volume")
    errors = [f for f in states["volume"].report["findings"] if f["level"] == "error"]
    assert errors and errors[0]["places"]
    with pytest.raises(StepFailed, match="not valid"):
        run(source, "case")


@pytest.mark.parametrize("name", ["brought.cgns", "brought.vtu"])
@pytest.mark.parametrize("data", [b"", b"no mesh at all", b"\x89HDF\r\n\x1a\n" + bytes(600)])
def test_what_is_no_mesh_is_refused_by_its_own_name(name, data):
    with pytest.raises(FileRejected, match="brought") as refused:
        run(Source(name, data), "volume")
    assert "/tmp" not in str(refused.value)
