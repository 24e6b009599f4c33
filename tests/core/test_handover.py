"""What is handed over: every part read back, numbered, in a unit of length; damage is noticed."""

import dataclasses
import json
import shutil
import subprocess

import h5py
import numpy as np
import pytest
import vtk
import yaml
from scipy.sparse import coo_array
from scipy.sparse.csgraph import reverse_cuthill_mckee
from vtkmodules.util.numpy_support import vtk_to_numpy

from intaglio.case.document import case_document
from intaglio.errors import StepFailed
from intaglio.formats.cgns import cgns_differences, read_case, read_cgns, write_cgns
from intaglio.formats.cgns.comparing import case_meant
from intaglio.handover import parts
from intaglio.handover.parts import CHOSEN, Meant
from intaglio.handover.writing import write_parts
from intaglio.mesh.cells import POLYHEDRON
from intaglio.mesh.in_unit import in_unit
from intaglio.mesh.mesh import Patch
from intaglio.mesh.numbering import bandwidth, narrow_order, renumbered
from intaglio.mesh.periodic import paired_patches
from intaglio.mesh.validity import check
from intaglio.mesh.zones import zone_alone
from intaglio.quality.cells import measure
from intaglio.quality.limits import limits_in_unit
from intaglio.quality.values import Values, cell_values
from tests.core import any_cells
from tests.core.test_case_setup import worked_out
from tests.core.test_mesh_files import MESHES

EVERY = [part.key for part in CHOSEN]
ROWS = [
    {"patches": ["left"], "is": "developed", "speed": 2.0},
    {"patches": ["right"], "is": "pressure", "pressure": 3.25},
    {"patches": ["top"], "is": "stream", "velocity": [1, 0.1, 0], "pressure": 0.7},
    {"patches": ["*"], "is": "no_slip"},
]
TURNING = [
    {"zones": ["fluid"], "is": "turning", "point": [0.1, 0.2, 0.3], "axis": [0, 1, 1], "rpm": 90}
]


@pytest.fixture(params=sorted(MESHES))
def mesh(request):
    return MESHES[request.param]()


def meant_of(mesh, **given):
    case, _ = worked_out(mesh, conditions=ROWS, **given)
    metrics = cell_values(Values(mesh), ("volume", "equiangle_skewness"))
    faces = {p.name: int((mesh.patch == k).sum()) for k, p in enumerate(mesh.patches)}
    document = case_document(case, faces, "block", "mesh.cgns")
    return Meant(mesh, metrics, case, document, {"cells": mesh.cells}, "words\n")


def shuffled(mesh):
    return renumbered(mesh, np.random.default_rng(3).permutation(mesh.cells))


# numbering


def test_numbers_change_nothing_else(mesh):
    again = shuffled(mesh)
    assert check(again) == []
    one, other = measure(mesh), measure(again)
    np.testing.assert_allclose(np.sort(one.volume), np.sort(other.volume), rtol=1e-12)
    assert [paired_patches(again, p).tolist() for p in again.periodic] == [
        paired_patches(mesh, p).tolist() for p in mesh.periodic
    ]
    assert len(again.sheets) == len(mesh.sheets)
    for k in range(len(mesh.patches)):
        places = [
            np.sort(np.round(m.points[m.face_nodes], 9).view("f8,f8,f8").ravel()[
                np.repeat(m.patch == k, np.diff(m.face_start))
            ])
            for m in (mesh, again)
        ]  # fmt: skip
        assert (places[0] == places[1]).all()


def test_narrow_numbers_are_as_near_as_those_of_scipy():
    mesh = shuffled(any_cells.tetrahedra((14, 9, 10), jitter=0.1))
    inner = np.flatnonzero(mesh.neighbour >= 0)
    ends = mesh.owner[inner], mesh.neighbour[inner]
    graph = coo_array((np.ones(len(inner)), ends), shape=(mesh.cells,) * 2)
    both = (graph + graph.T).tocsr()
    place = np.argsort(reverse_cuthill_mckee(both, symmetric_mode=True))
    scipys = np.abs(place[ends[0]] - place[ends[1]]).max()
    narrow = renumbered(mesh, narrow_order(mesh))
    assert bandwidth(narrow) <= 1.1 * scipys < bandwidth(mesh)
    # faces come by the lower of their cells, points as cells name them first
    inside = narrow.neighbour >= 0
    low = np.minimum(narrow.owner, narrow.neighbour)[inside]
    assert (np.diff(low) >= 0).all()
    first = np.unique(narrow.cell_nodes, return_index=True)[1]
    assert (np.diff(first) > 0).all()


def test_zones_stay_together_in_narrow_numbers():
    mesh = shuffled(any_cells.two_zones())
    assert (np.diff(renumbered(mesh, narrow_order(mesh)).zone) >= 0).all()


def test_a_zone_alone_is_a_mesh(mesh):
    total = measure(mesh).volume
    for k in range(len(mesh.zones)):
        own = zone_alone(mesh, k)
        assert measure(own).volume.sum() == pytest.approx(total[mesh.zone == k].sum(), rel=1e-12)
        assert not [f for f in check(own) if f.level == "error"]


# every part


def test_every_part_comes_back_as_it_was_meant(mesh, tmp_path):
    sizes = write_parts(meant_of(mesh), EVERY, tmp_path)
    for name in ("mesh.cgns", "mesh.vtu", "mesh.vtm", "surface.cgns", "case.yaml", "report.json"):
        assert sizes[name] == (tmp_path / name).stat().st_size > 0
    assert sum(n.startswith("patches/") for n in sizes) == len(mesh.patches)
    assert sum(n.endswith(".vtp") for n in sizes) == len(mesh.patches)


def test_only_what_is_chosen_is_written(tmp_path):
    sizes = write_parts(meant_of(any_cells.mixed()), ["vtu"], tmp_path)
    assert set(sizes) == {"mesh.vtu", "case.yaml", "report.json", "README.txt"}


@pytest.mark.parametrize("unit", ["mm", "m", "in", "µm"])
def test_units_of_length_as_vtk_reads_them(unit, tmp_path):
    """25.4 mm are an inch: the block is 2 × 1 × 1 times what the unit says, in metres."""
    mm = any_cells.hexahedra((4, 3, 2), lambda u: u * [50.8, 25.4, 25.4])
    mesh = in_unit(mm, unit)
    length = {"mm": 50.8, "m": 0.0508, "in": 2.0, "µm": 50800.0}[unit]
    assert np.ptp(mesh.points[:, 0]) == pytest.approx(length, rel=1e-14)
    write_cgns(mesh, tmp_path / "m.cgns")
    assert list(cgns_differences(mesh, tmp_path / "m.cgns")) == []
    with h5py.File(tmp_path / "m.cgns") as file:
        words = bytes(file["Intaglio/DimensionalUnits/ data"][()].ravel().astype("u1"))
    told = words[32:64].decode().strip()
    per_metre = {"Millimeter": 1e-3, "Meter": 1.0, "Inch": 0.0254}[told]
    reader = vtk.vtkCGNSReader()
    reader.SetFileName(str(tmp_path / "m.cgns"))
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.Update()
    low, high = reader.GetOutput().GetBlock(0).GetBlock(0).GetBounds()[:2]
    assert (high - low) * per_metre == pytest.approx(0.0508, rel=1e-13)
    back = read_cgns(tmp_path / "m.cgns")
    assert back.unit == ("m" if unit == "µm" else unit)


def test_the_same_unit_keeps_every_bit():
    mesh = any_cells.mixed()
    assert in_unit(mesh, mesh.unit) is mesh


def test_vtk_reads_the_blocks_and_their_names(mesh, tmp_path):
    write_parts(meant_of(mesh), ["vtm"], tmp_path)
    reader = vtk.vtkXMLMultiBlockDataReader()
    reader.SetFileName(str(tmp_path / "mesh.vtm"))
    reader.Update()
    zones, patches = (reader.GetOutput().GetBlock(k) for k in (0, 1))
    named = lambda b: [  # noqa: E731
        b.GetMetaData(k).Get(vtk.vtkCompositeDataSet.NAME()) for k in range(b.GetNumberOfBlocks())
    ]
    assert named(zones) == [z.name for z in mesh.zones]
    assert named(patches) == [p.name for p in mesh.patches]
    for k in range(len(mesh.zones)):
        block = zones.GetBlock(k)
        own = mesh.zone == k
        assert block.GetNumberOfCells() == own.sum()
        held = vtk_to_numpy(block.GetCellData().GetArray("volume"))
        np.testing.assert_array_equal(held, cell_values(Values(mesh), ("volume",))["volume"][own])
    for k in range(len(mesh.patches)):
        assert patches.GetBlock(k).GetNumberOfCells() == (mesh.patch == k).sum()


def test_the_surface_alone_passes_the_standards_checker_and_vtk_reads_it(mesh, tmp_path):
    path = tmp_path / "surface.cgns"
    write_parts(meant_of(mesh), ["surface"], tmp_path)
    reader = vtk.vtkCGNSReader()
    reader.SetFileName(str(path))
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.Update()
    base = reader.GetOutput().GetBlock(0)
    triangles = sum(base.GetBlock(k).GetNumberOfCells() for k in range(base.GetNumberOfBlocks()))
    assert triangles >= (mesh.patch >= 0).sum()
    checker = shutil.which("cgnscheck")
    assert checker, "cgnscheck comes with the packages that `make install` lists"
    told = subprocess.run([checker, str(path)], capture_output=True, text=True, check=False)
    assert told.returncode == 0 and "ERROR" not in told.stdout, told.stdout
    # of a plane patch it remarks that it is plane
    warned = {line.strip() for line in told.stdout.splitlines() if "WARNING" in line}
    assert warned <= {"WARNING:coordinate range is 0"}


# the case comes back


@pytest.mark.parametrize("heat", ["without", "with"])
@pytest.mark.parametrize("closure", ["laminar", "shear_transport"])
def test_the_case_is_read_back_to_the_last_bit(mesh, heat, closure, tmp_path):
    given = {"heat": heat, "closure": closure, "gravity": [0, 0, -9.81], "frames": TURNING}
    meant = meant_of(mesh, **given)
    write_cgns(mesh, tmp_path / "m.cgns", case=meant.case)
    told = read_case(tmp_path / "m.cgns")
    assert told.steady and told.gravity[2] == np.float32(-9.81)
    water = told.zones[mesh.zones[0].name]
    own = meant.case.zones[0].properties
    assert water.material == "water" and water.state["Density"][0] == own.density
    assert ("TurbulenceModel" in water.words) == (closure != "laminar")
    for (_, name), patch in told.patches.items():
        if name == "right" and next(p for p in meant.case.patches if p.name == name).wetted:
            assert patch.type == "BCOutflow" and patch.fixed["Pressure"][0] == 3.25
    assert list(cgns_differences(mesh, tmp_path / "m.cgns", meant.case)) == []
    assert case_meant(mesh, meant.case).zones.keys() == told.zones.keys()


def _changed(name, value):
    """Overwrites one number of a dataset."""

    def change(file):
        found = []
        file.visititems(lambda n, o: found.append(n) if n.endswith(f"{name}/ data") else None)
        assert found, name
        held = file[found[0]]
        data = held[()]
        data.reshape(-1)[0] = value(data.reshape(-1)[0])
        held[...] = data

    return change


@pytest.mark.parametrize(
    ("name", "value", "word"),
    [
        ("CoordinateX", lambda x: np.nextafter(x, 9), "points"),
        ("Cells/ElementConnectivity", lambda n: n + 1, "type that is not read"),
        ("Cells/ElementStartOffset", lambda n: n + 1, "offsets"),
        ("left/ElementConnectivity", lambda n: n + 1, "left"),
        ("left/PointRange", lambda n: n + 1, "left"),
        ("ReferenceState/Density", lambda v: np.nextafter(v, 9e9), "Density"),
        ("ViscosityModel/ViscosityMolecular", lambda v: 2 * v, "ViscosityMolecular"),
        ("DirichletData/VelocityX", lambda v: v + 1e-9, "VelocityX"),
        ("DirichletData/Pressure", lambda v: v + 1e-9, "Pressure"),
        ("Gravity/GravityVector", lambda v: v + 1, "gravity"),
        ("SimulationType", lambda v: ord("T"), "time"),
        ("RotatingCoordinates/RotationRateVector", lambda v: v + 1, "turns"),
        ("ZoneBC/right", lambda v: ord("X"), "right"),
        ("TurbulenceModel", lambda v: ord("X"), "equations"),
        ("DimensionalUnits", lambda v: v, None),
    ],
)
def test_every_changed_number_is_noticed(name, value, word, tmp_path):
    mesh = any_cells.mixed()
    meant = meant_of(mesh, gravity=[0, 0, -9.81], frames=TURNING)
    write_cgns(mesh, tmp_path / "m.cgns", case=meant.case)
    with h5py.File(tmp_path / "m.cgns", "a") as file:
        _changed(name, value)(file)
    told = list(cgns_differences(mesh, tmp_path / "m.cgns", meant.case))
    assert (told == []) if word is None else any(word in t for t in told), told


def test_a_cell_of_other_nodes_and_a_patch_of_another_kind_are_noticed(tmp_path):
    mesh = any_cells.hexahedra()
    kinds = [Patch(p.name, "wall" if p.name == "left" else p.kind) for p in mesh.patches]
    write_cgns(dataclasses.replace(mesh, patches=tuple(kinds)), tmp_path / "m.cgns")
    assert list(cgns_differences(mesh, tmp_path / "m.cgns")) == ["kind of patch left"]
    write_cgns(mesh, tmp_path / "m.cgns")
    with h5py.File(tmp_path / "m.cgns", "a") as file:
        _changed("Cells/ElementConnectivity", lambda n: n + 1)(file)
    told = list(cgns_differences(mesh, tmp_path / "m.cgns"))
    assert told == ["nodes of cells in zone fluid"]


def test_limits_of_one_s_own_follow_the_unit():
    own = [
        {"of": "volume", "value": 8.0},
        {"of": "edge_length", "value": 2.0},
        {"of": "smallest_dihedral", "value": 10.0},
    ]
    told = [row["value"] for row in limits_in_unit(own, "mm", "m")]
    assert told == pytest.approx([8e-9, 2e-3, 10.0], rel=1e-12)


@pytest.mark.parametrize("part", CHOSEN, ids=lambda p: p.key)
def test_a_file_that_says_something_else_is_not_offered(part, tmp_path, monkeypatch):
    """Every part with one number written wrong: said in words, nothing is handed over."""
    mesh = any_cells.two_zones()
    moved = mesh.points.copy()
    moved[mesh.face_nodes[mesh.face_start[np.flatnonzero(mesh.patch == 0)[0]]], 1] += 1e-3
    wrong = dataclasses.replace(
        part,
        write=lambda m, path: part.write(
            dataclasses.replace(m, mesh=dataclasses.replace(mesh, points=moved)), path
        ),
    )
    monkeypatch.setattr("intaglio.handover.writing.CHOSEN", (wrong,))
    with pytest.raises(StepFailed) as told:
        write_parts(meant_of(mesh), [part.key], tmp_path)
    assert told.value.code == "not-as-meant" and part.file in told.value.message


def test_a_disk_without_room_is_said_in_words(tmp_path, monkeypatch):
    def full(m, path):
        raise OSError(28, "No space left on device")

    broken = dataclasses.replace(parts.ALWAYS[0], write=full)
    monkeypatch.setattr("intaglio.handover.writing.ALWAYS", (broken,))
    with pytest.raises(StepFailed) as told:
        write_parts(meant_of(any_cells.mixed()), ["vtu"], tmp_path)
    assert "case.yaml" in told.value.message and "room on the disk" in told.value.message


def test_case_and_report_are_plain_files_that_others_read(tmp_path):
    meant = meant_of(any_cells.mixed())
    write_parts(meant, ["cgns"], tmp_path)
    told = yaml.safe_load((tmp_path / "case.yaml").read_text())
    assert told["mesh"] == {"file": "mesh.cgns", "unit": "mm", "metres_per_unit": 0.001}
    assert json.loads((tmp_path / "report.json").read_text()) == {"cells": meant.mesh.cells}


def test_a_zone_with_polyhedra_is_compared_by_its_faces(tmp_path):
    mesh = any_cells.dual(any_cells.tetrahedra())
    write_cgns(mesh, tmp_path / "m.cgns")
    assert list(cgns_differences(mesh, tmp_path / "m.cgns")) == []
    with h5py.File(tmp_path / "m.cgns", "a") as file:
        held = file["Intaglio/fluid/Cells/ElementConnectivity/ data"]
        data = held[()]
        data[3] = -data[3]
        held[...] = data
    assert any("faces of cells" in t for t in cgns_differences(mesh, tmp_path / "m.cgns"))


def test_a_shuffled_mesh_comes_back_too(mesh, tmp_path):
    other = shuffled(mesh)
    narrow = renumbered(other, narrow_order(other))
    write_parts(meant_of(narrow), EVERY, tmp_path)
    again = read_cgns(tmp_path / "mesh.cgns")
    if not (narrow.shape == POLYHEDRON).any():
        for name in ("points", "shape", "cell_start", "cell_nodes", "zone"):
            np.testing.assert_array_equal(getattr(again, name), getattr(narrow, name), name)
