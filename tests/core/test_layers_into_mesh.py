"""Layers grown into a mesh that was read from a file."""

import math

import numpy as np
import pytest

from intaglio.cli import main
from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.mesh.mesh import Mesh
from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.volume import named_mesh
from tests.core.shapes import BARE, box, cut, pipe, source
from tests.core.test_any_cells import any_cells


def _tets(shape, folder, given) -> Mesh:
    store = MemoryStore()
    given = {**BARE, **given}
    states = {s.stage: s for s in run_to("volume", source(shape, folder), "part", given, store)}
    return named_mesh(store.get(states["volume"].key), store.get(states["patches"].key))


def _areas(mesh: Mesh) -> dict[str, float]:
    out = dict.fromkeys([p.name for p in mesh.patches], 0.0)
    for f in np.flatnonzero(mesh.patch >= 0):
        p = mesh.points[mesh.face_nodes[mesh.face_start[f] : mesh.face_start[f + 1]]]
        across = sum(np.cross(p[i] - p[0], p[i + 1] - p[0]) for i in range(1, len(p) - 1))
        out[mesh.patches[mesh.patch[f]].name] += 0.5 * float(np.linalg.norm(across))
    return out


@pytest.fixture(scope="module")
def given(tmp_path_factory):
    folder = tmp_path_factory.mktemp("given")
    mesh = _tets(pipe(), folder, {"sizing": {"smallest": 1.2, "largest": 1.8}})
    write_cgns(mesh, folder / "mesh.cgns")
    return mesh, folder / "mesh.cgns"


def test_layers_grow_into_a_mesh_from_a_file(given, tmp_path, capsys):
    mesh, path = given
    out = tmp_path / "layered.cgns"
    asked = [
        "layers",
        str(path),
        "--patches",
        "wall*",
        "--count",
        "5",
        "--first",
        "0.1",
        "-o",
        str(out),
    ]
    assert main(asked) == 0
    told = capsys.readouterr().out
    assert "valid" in told and "all on 100.0 %" in told
    made = read_cgns(out)
    assert not [f for f in mesh_findings(made, measure(made)) if f.level == "error"]
    # the same space, the same patches, the wall's triangles as they were
    assert measure(made).volume.sum() == pytest.approx(measure(mesh).volume.sum(), rel=1e-4)
    before, after = _areas(mesh), _areas(made)
    assert list(before) == list(after)
    for name, area in before.items():
        assert after[name] == pytest.approx(area, rel=1e-4)
    prisms = made.shape == 3
    thick = sum(0.1 * 1.2**k for k in range(5))
    ring = math.pi * (49 - (7 - thick) ** 2) * 60
    assert measure(made).volume[prisms].sum() == pytest.approx(ring, rel=0.03)


def test_a_patch_of_several_planes_holds_layers_on_each(tmp_path):
    # a channel with a notch: all that is no floor is one patch of many planes
    shape = cut(box(0, 0, 0, 30, 12, 10), box(20, -1, 6, 31, 13, 11))
    rows = [
        {"name": "floor", "kind": "wall", "faces": ["face_5"]},
        {"name": "sides", "kind": "symmetry", "faces": "rest"},
    ]
    mesh = _tets(
        shape,
        tmp_path,
        {
            "domain": {"where": "as-is"},
            "patches": {"patches": rows},
            "sizing": {"smallest": 1.2, "largest": 2.0},
        },
    )
    write_cgns(mesh, tmp_path / "a.cgns")
    out = tmp_path / "b.cgns"
    assert main(["layers", str(tmp_path / "a.cgns"), "--total", "1.5", "-o", str(out)]) == 0
    made = read_cgns(out)
    area = _areas(mesh)["floor"]
    layers = measure(made).volume[made.shape == 3].sum()
    assert layers == pytest.approx(area * 1.5, rel=0.02)


def test_what_cannot_be_is_refused(given, tmp_path, capsys):
    _, path = given
    out = str(tmp_path / "x.cgns")
    assert main(["layers", str(tmp_path / "none.cgns"), "-o", out]) == 2
    assert main(["layers", str(path), "-o", str(tmp_path / "x.doc")]) == 2
    assert main(["layers", str(path), "--growth", "0.5", "-o", out]) == 2
    assert "at least 1" in capsys.readouterr().err
    write_cgns(any_cells.prisms(), tmp_path / "prisms.cgns")
    assert main(["layers", str(tmp_path / "prisms.cgns"), "-o", out]) == 2
    assert "tetrahedra alone" in capsys.readouterr().err
    assert main(["layers", str(path), "--patches", "vane", "-o", out]) == 2
    assert "vane" in capsys.readouterr().err
