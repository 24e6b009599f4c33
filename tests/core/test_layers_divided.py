"""Layers of a finished mesh divided again, the core left as it is."""

from itertools import pairwise

import numpy as np
import pytest

from intaglio.cli import main
from intaglio.errors import FileRejected, SettingRejected, StepFailed
from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.layers.dividing import divided
from intaglio.layers.heights import Heights, reached, total
from intaglio.layers.stacks import stacks
from intaglio.mesh.cells import HEXAHEDRON, PRISM, PYRAMID, TETRAHEDRON
from intaglio.mesh.mesh import Mesh
from intaglio.mesh.mesh import rows as rows_of
from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import read_recipe
from intaglio.stages.volume import volume_mesh
from intaglio.stages.volume.dividing import DIVISION_ROWS
from tests.core.shapes import box, cylinder, pipe, source
from tests.core.test_layers import layered_mesh
from tests.core.test_layers_at_edges import _around

SIZING = {"smallest": 1.2, "largest": 1.8}


def _walls(mesh: Mesh, *names: str) -> np.ndarray:
    own = [k for k, p in enumerate(mesh.patches) if p.name in names]
    return np.flatnonzero(np.isin(mesh.patch, own))


def _sound(mesh: Mesh) -> None:
    errors = [f for f in mesh_findings(mesh, measure(mesh)) if f.level == "error"]
    assert not errors, errors


def _core(mesh: Mesh, layer: np.ndarray) -> np.ndarray:
    """Corners of the cells in no layer, in an order of their own."""
    own = np.flatnonzero((layer == 0) & (mesh.shape == TETRAHEDRON))
    corners = mesh.points[mesh.cell_nodes[mesh.cell_start[own][:, None] + np.arange(4)]]
    flat = corners.reshape(len(own), -1)
    return flat[np.lexsort(flat.T)]


@pytest.fixture(scope="module")
def tube(tmp_path_factory):
    rows = [{"patches": ["wall*"], "count": 1, "growth": 1.0, "total": 1.0}]
    return layered_mesh(pipe(), tmp_path_factory.mktemp("tube"), rows, SIZING)


def test_one_thick_layer_becomes_as_many_as_are_asked_for(tube):
    mesh = tube.named
    walls = [p.name for p in mesh.patches if p.kind == "wall"]
    made = divided(mesh, _walls(mesh, *walls), 6, growth=1.3)
    _sound(made.mesh)
    prisms = int((mesh.shape == PRISM).sum())
    assert int((made.mesh.shape == PRISM).sum()) == 6 * prisms
    assert np.bincount(made.layer).tolist() == [mesh.cells - prisms, *[prisms] * 6]
    # the levels are where the series has them, on every prism
    want = reached(Heights(1.0, 1.3, 6)) / total(Heights(1.0, 1.3, 6))
    own = np.flatnonzero(made.layer > 0)
    nodes = made.mesh.cell_nodes[made.mesh.cell_start[own][:, None] + np.arange(6)]
    depth = 7.0 - np.hypot(*made.mesh.points[nodes][:, :, 1:].transpose(2, 0, 1))
    for corner, level in ((slice(0, 3), made.layer[own] - 1), (slice(3, 6), made.layer[own])):
        np.testing.assert_allclose(depth[:, corner], np.tile(want[level][:, None], 3), atol=0.01)
    # and each column is the series exactly
    sides = made.mesh.points[nodes]
    length = np.linalg.norm(sides[:, 3:] - sides[:, :3], axis=2)
    by_layer = [length[made.layer[own] == k] for k in range(1, 7)]
    for low, high in pairwise(by_layer):
        np.testing.assert_allclose(np.sort(high, axis=None), 1.3 * np.sort(low, axis=None))
    # the core is what it was
    np.testing.assert_array_equal(_core(mesh, tube.layer), _core(made.mesh, made.layer))
    assert measure(made.mesh).volume.sum() == pytest.approx(measure(mesh).volume.sum(), rel=1e-12)


def test_another_first_height_moves_nodes_alone(tmp_path):
    rows = [{"patches": ["wall*"], "count": 5, "growth": 1.2, "total": 1.0}]
    grown = layered_mesh(pipe(), tmp_path, rows, SIZING)
    mesh = grown.named
    faces = np.flatnonzero(
        np.isin(mesh.patch, [k for k, p in enumerate(mesh.patches) if p.kind == "wall"])
    )
    made = divided(mesh, faces, first=0.02)
    _sound(made.mesh)
    assert made.mesh.cells == mesh.cells and len(made.mesh.points) == len(mesh.points)
    np.testing.assert_allclose(made.first, 0.02, rtol=1e-6)
    assert not made.thinned.any()
    # as many layers from there on reach as high as before
    for growth, first in zip(made.growth[:50], made.first[:50], strict=True):
        assert total(Heights(first, growth, 5)) == pytest.approx(1.0, abs=0.05)
    even = divided(mesh, faces, first=0.5)
    assert even.thinned.all() and (even.growth == 1.0).all()
    _sound(even.mesh)


def test_first_heights_are_normal_to_the_wall_at_inner_edges(tmp_path):
    """Over every triangle of a box's walls, edges and corners too: volume over area of the cell."""
    rows = [{"patches": ["*"], "count": 2, "growth": 1.0, "total": 0.6}]
    grown = layered_mesh(box(0, 0, 0, 8, 8, 8), tmp_path, rows, SIZING)
    names = [p.name for p in grown.named.patches if p.kind == "wall"]
    made = divided(grown.named, _walls(grown.named, *names), 8, first=0.01)
    _sound(made.mesh)
    assert made.first == pytest.approx(0.01)
    rim = _walls(made.mesh, *names)
    _, nodes = rows_of(made.mesh.face_start, made.mesh.face_nodes, rim)
    p = made.mesh.points[nodes.reshape(-1, 3)]
    area = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    own = made.mesh.owner[rim]
    first = made.layer[own] == 1
    height = measure(made.mesh).volume[own[first]] / area[first]
    # but for what the triangle shrinks by up to the layer's end, at corners most
    assert first.mean() > 0.99 and height.max() < 0.0101 and height.min() > 0.0095


@pytest.mark.parametrize("degrees", [20, 60])
def test_layers_around_a_sharp_edge_are_divided_with_their_bands(tmp_path, degrees):
    made = _around(degrees, tmp_path, 0.8)
    mesh = made.named
    found = stacks(mesh, _walls(mesh, "knife"))
    assert found.level.max() == 4
    again = divided(mesh, _walls(mesh, "knife"), 10, growth=1.1)
    _sound(again.mesh)
    before, after = (np.bincount(m.shape, minlength=5) for m in (mesh, again.mesh))
    # of each band at the edge a prism lies on it, all others are hexahedra
    wedges = before[HEXAHEDRON] // 3
    assert after[HEXAHEDRON] == 9 * wedges
    assert after[PRISM] - wedges == 10 * (before[PRISM] - wedges) // 4
    assert after[PYRAMID] == before[PYRAMID]
    np.testing.assert_array_equal(_core(mesh, made.layer), _core(again.mesh, again.layer))


def test_where_layers_end_their_steps_are_divided_too(tmp_path):
    # six layers on the side of a rod, three on an end
    row = {"growth": 1.2, "first": 0.1}
    rows = [{"patches": ["side"], "count": 6, **row}, {"patches": ["end"], "count": 3, **row}]
    named = [
        {"name": "end", "kind": "wall", "faces": ["face_2"]},
        {"name": "side", "kind": "wall", "faces": "rest"},
    ]
    rod = cylinder((0, 0, 0), (0, 0, 1), 5, 10)
    sizing = {"smallest": 1.0, "largest": 1.5}
    made = layered_mesh(rod, tmp_path, rows, sizing, {"where": "as-is"}, named)
    mesh = made.named
    walls = [p["name"] for p in made.told["patches"]]
    again = divided(mesh, _walls(mesh, *walls), 12, growth=1.2)
    _sound(again.mesh)
    assert len(np.unique(again.number)) > 1
    assert (np.bincount(again.mesh.shape) > np.bincount(mesh.shape))[PRISM]
    assert measure(again.mesh).volume.sum() == pytest.approx(measure(mesh).volume.sum(), rel=1e-12)


def test_the_stage_divides_without_filling_again(tmp_path, monkeypatch):
    store = MemoryStore()
    part = source(pipe(), tmp_path)
    layers = {"layers": [{"patches": ["wall*"], "count": 1, "growth": 1.0, "total": 1.0}]}
    given = {"layers": layers, "sizing": SIZING}
    first = {s.stage: s for s in run_to("volume", part, "part", given, store)}
    fills = []
    import intaglio.stages.volume.tetrahedra as tetrahedra

    for name in ("fill", "layered"):
        monkeypatch.setattr(tetrahedra, name, lambda *a, **k: fills.append(a))
    rows = [{"patches": ["wall*"], "count": 5, "growth": 1.25}]
    given["volume"] = {"divided": rows}
    second = {s.stage: s for s in run_to("volume", part, "part", given, store)}
    assert not fills and second["volume"].key != first["volume"].key
    old, new = (store.get(s["volume"].key) for s in (first, second))
    assert new.report["layer_cells"] == 5 * old.report["layer_cells"]
    # the time of filling is part of what it takes
    assert new.report["step"]["seconds"] >= old.report["step"]["seconds"]
    assert new.report["volume"] == pytest.approx(old.report["volume"], rel=1e-12)
    np.testing.assert_array_equal(
        _core(volume_mesh(old), old.arrays["layer"]), _core(volume_mesh(new), new.arrays["layer"])
    )
    # what the patches are called is no matter
    told = second["patches"].report["patches"]
    given["patches"] = {
        "patches": [
            {
                "name": f"wall_of_{k}" if p["kind"] == "wall" else p["name"],
                "kind": p["kind"],
                "faces": list(p["faces"]),
            }
            for k, p in enumerate(told)
        ]
    }
    third = {s.stage: s for s in run_to("volume", part, "part", given, store)}
    assert third["volume"].key == second["volume"].key


def test_a_recipe_divides_layers(tmp_path):
    source(pipe(), tmp_path)
    (tmp_path / "recipe.yaml").write_text(
        "recipe: 1\npart: part.step\nvolume:\n  divided:\n"
        "    - {patches: [wall*], count: 4, first: 0.1}\n"
    )
    read = read_recipe(tmp_path / "recipe.yaml")
    assert read.settings["volume"]["divided"][0]["first"] == 0.1


@pytest.mark.parametrize(
    ("rows", "words"),
    [
        (7, "list of rows"),
        ([{"count": 3, "growth": 1.2}], "needs the patches"),
        ([{"patches": ["*"], "count": 3}], "growth or first"),
        ([{"patches": ["*"], "count": 3, "growth": 1.2, "first": 1.0}], "growth or first"),
        ([{"patches": ["*"], "count": 3, "growth": 0.5}], "growth of layers"),
        ([{"patches": ["*"], "count": 0, "growth": 1.5}], "number of layers"),
        ([{"patches": [], "growth": 1.5}], "Name patches"),
        ([{"patches": [3], "growth": 1.5}], "Name patches"),
        ([{"patches": ["*"], "growth": 1.5, "high": 3}], "no “high”"),
    ],
)
def test_rows_that_cannot_be_used_are_refused(rows, words):
    with pytest.raises(SettingRejected, match=words):
        DIVISION_ROWS.check("volume.divided", "layers divided again", rows, {})


def test_what_cannot_be_divided_is_refused_with_words(tube, tmp_path):
    mesh = tube.named
    walls = [p.name for p in mesh.patches if p.kind == "wall"]
    inlets = [p.name for p in mesh.patches if p.kind != "wall"]
    with pytest.raises(StepFailed, match="nothing to divide"):
        divided(mesh, _walls(mesh, *inlets), 4, growth=1.2)
    twice = divided(mesh, _walls(mesh, *walls), 4, growth=1.2).mesh
    with pytest.raises(FileRejected, match="There are 4 layers"):
        divided(twice, _walls(twice, *walls), 3, growth=1.2)
    # half of a wall
    half = _walls(mesh, *walls)
    with pytest.raises(FileRejected, match="hang together"):
        divided(mesh, half[: len(half) // 2], 4, growth=1.2)


def test_layers_of_a_file_are_divided_by_the_command_line(tube, tmp_path, capsys):
    write_cgns(tube.named, tmp_path / "thick.cgns")
    out = tmp_path / "divided.cgns"
    asked = ["divide", str(tmp_path / "thick.cgns"), "--count", "4", "--first", "0.1", "-o"]
    assert main([*asked, str(out)]) == 0
    told = capsys.readouterr().out
    assert "4 layers" in told and "valid" in told
    made = read_cgns(out)
    _sound(made)
    assert int((made.shape == PRISM).sum()) == 4 * int((tube.named.shape == PRISM).sum())
    assert main([*asked, str(out), "--patches", "nothing*"]) == 2
    assert "no wall is called so" in capsys.readouterr().err
    assert main(["divide", str(tmp_path / "none.cgns"), "-o", str(out)]) != 0
    # four layers from a hundredth of the fourth cannot be had by a growth of 3
    capsys.readouterr()
    low = ["divide", str(tmp_path / "thick.cgns"), "--count", "4", "--first", "0.001", "-o"]
    assert main([*low, str(out)]) == 0
    assert "100 % of the columns begin with a higher" in capsys.readouterr().out
    # a growth of nothing is refused, not taken for none given
    none = ["divide", str(tmp_path / "thick.cgns"), "--growth", "0", "-o", str(out)]
    assert main(none) == 2
    assert "growth of layers" in capsys.readouterr().err


def test_the_stage_tells_what_it_cannot_divide(tmp_path):
    layers = {"layers": [{"patches": ["wall*"], "count": 3, "growth": 1.0, "total": 1.0}]}
    given = {"layers": layers, "sizing": SIZING}
    given["volume"] = {"divided": [{"patches": ["*"], "count": 2, "growth": 1.0}]}
    part, store = source(pipe(), tmp_path), MemoryStore()
    with pytest.raises(StepFailed, match="There are 3 layers"):
        run_to("volume", part, "part", given, store)
    # what was filled before is kept, with its time
    del given["volume"]
    (filled,) = (s for s in run_to("layers", part, "part", given, store) if s.stage == "volume")
    assert filled.report is not None and filled.report["step"]["seconds"] > 0
