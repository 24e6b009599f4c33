"""Worst cells and their causes, limits and verdicts, meshes side by side, on the command line."""

import json
from dataclasses import replace

import numpy as np
import pytest
from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere

from intaglio.cli import main
from intaglio.errors import SettingRejected
from intaglio.mesh.building import tet_mesh
from intaglio.mesh.neighbours import cells_around
from intaglio.quality.catalogue import METRICS
from intaglio.quality.comparing import compared, shared_histograms
from intaglio.quality.limits import CELLS, SETS, judged, limit_rows, limits_of, verdict
from intaglio.quality.report import mesh_findings, report
from intaglio.quality.values import Values
from intaglio.quality.worst import TOLD, causes, described, tails, worst_cells
from intaglio.recipe.plan import MemoryStore, run_to
from tests.core import any_cells
from tests.core.shapes import BARE, box, source
from tests.core.test_metrics import shaken


def told(mesh, limits="general", own=()):
    values = Values(mesh)
    found = mesh_findings(mesh, values.measured)
    return judged(report(values, found), limits, list(own))


@pytest.fixture(scope="module")
def block():
    return any_cells.tetrahedra((6, 5, 4))


@pytest.fixture(scope="module")
def spoiled(block):
    """The block with one inner node pushed almost through the opposite faces of its cells."""
    inner = np.setdiff1d(
        np.arange(len(block.points)), block.face_nodes[block.face_start[block.interior_faces] :]
    )
    v = int(inner[len(inner) // 2])
    own = np.flatnonzero((block.tets == v).any(axis=1))
    others = np.setdiff1d(block.tets[own[0]], [v])
    points = block.points.copy()
    points[v] += 0.985 * (points[others].mean(axis=0) - points[v])
    return replace(block, points=points), v


@pytest.mark.parametrize("large", [True, False])
@pytest.mark.parametrize("count", [0, 1, 7, 50, 400])
def test_worst_cells_are_those_of_a_full_sort(large, count):
    values = np.round(np.random.default_rng(count).random(300), 2)
    values[::17] = np.nan
    order = sorted(
        (c for c in range(300) if not np.isnan(values[c])),
        key=lambda c: (-values[c] if large else values[c], c),
    )
    assert worst_cells(values, large, count).tolist() == order[:count]


def test_the_spoiled_cells_are_the_worst(spoiled):
    mesh, v = spoiled
    around = np.flatnonzero((mesh.tets == v).any(axis=1))
    for key in ("equiangle_skewness", "smallest_dihedral", "scaled_jacobian", "aspect_ratio"):
        metric = next(m for m in METRICS if m.key == key)
        values = Values(mesh).of_cells(key)
        assert worst_cells(values, metric.large_is_bad, 1)[0] in around
    rows = described(mesh, around[:2], np.array([1.0, 2.0]))
    assert [r["cell"] for r in rows] == around[:2].tolist()
    np.testing.assert_allclose(rows[0]["place"], mesh.points[mesh.tets[around[0]]].mean(axis=0))
    assert (rows[0]["shape"], rows[0]["layer"]) == ("tetrahedron", 0)


def test_causes_name_the_faces_that_a_cell_touches(block):
    names = [p.name for p in block.patches]
    rim = np.flatnonzero(block.neighbour < 0)
    cell = int(block.owner[rim[0]])
    said = causes(block, np.array([cell]))[0]
    assert f"at {names[block.patch[rim[0]]]}" in said or "from wall to wall" in said
    inner = np.setdiff1d(
        np.arange(block.cells),
        np.flatnonzero(np.isin(block.tets, block.face_nodes[block.face_start[rim[0]] :]).any(1)),
    )
    assert causes(block, inner[:3]) == ["", "", ""]


def test_causes_tell_the_layer_and_where_layers_end():
    block = any_cells.hexahedra((6, 1, 4), lambda u: u)
    middle = np.add.reduceat(block.points[block.cell_nodes], block.cell_start[:-1]) / 8
    # two layers on the floor, one on the right half
    high = np.where(middle[:, 0] < 0.5, 2, 1)
    level = np.floor(4 * middle[:, 2]).astype(int) + 1
    layer = np.where(level <= high, level, 0)
    cells = np.arange(block.cells)
    for said, c in zip(causes(block, cells, layer), cells, strict=True):
        assert (f"in layer {layer[c]}" in said) == (layer[c] > 0)
    ends = [c for c, s in zip(cells, causes(block, cells, layer), strict=True) if "layers end" in s]
    # the step stands between x = 3/6 and 4/6: the cell over the low one, and the high one's corner
    corner = middle[ends]
    assert len(ends) == 2
    np.testing.assert_allclose(sorted(corner[:, 0]), [2.5 / 6, 3.5 / 6], atol=1e-12)
    np.testing.assert_allclose(corner[:, 2], 1.5 / 4, atol=1e-12)


def test_cells_around_share_nodes(block):
    start = np.array([40])
    one = cells_around(block, start, 1)
    expected = np.flatnonzero(np.isin(block.tets, block.tets[40]).any(axis=1))
    np.testing.assert_array_equal(one, expected)
    np.testing.assert_array_equal(cells_around(block, start, 2), cells_around(block, one, 1))
    np.testing.assert_array_equal(cells_around(block, start, 0), start)


def test_a_verdict_counts_the_cells_beyond_without_the_mesh(spoiled):
    mesh, _ = spoiled
    out = told(mesh, "strict")
    values = Values(mesh)
    assert {r["metric"] for r in out["verdict"]["rows"]} == {
        limit.metric for limit in SETS["strict"]
    }
    for row in out["verdict"]["rows"]:
        of_cells = values.of_cells(row["metric"])
        metric = next(m for m in METRICS if m.key == row["metric"])
        over = of_cells > row["limit"] if metric.large_is_bad else of_cells < row["limit"]
        assert row["passed"] == (not over.any())
        assert row["worst"] == (of_cells.max() if metric.large_is_bad else of_cells.min())
        assert row["beyond"] == min(over.sum(), TOLD) and row["more"] == (over.sum() >= TOLD)
    failed = {r["metric"] for r in out["verdict"]["rows"] if not r["passed"]}
    assert "smallest_dihedral" in failed and not out["verdict"]["passed"]
    codes = {f["code"]: f for f in out["findings"]}
    for key in failed:
        found = codes[f"beyond-{key.replace('_', '-')}"]
        assert found["level"] == "caution" and found["places"] and "strict" in found["message"]


def test_a_good_mesh_is_within_general_limits(block):
    out = told(block)
    assert out["verdict"]["passed"] and not out["findings"]


def test_own_limits_are_the_only_ones(block):
    own = [{"of": "volume_ratio", "value": 0.5}, {"of": "volume", "value": 1e9}]
    out = told(block, "own", own)
    rows = {r["metric"]: r for r in out["verdict"]["rows"]}
    assert set(rows) == {"volume_ratio", "volume"}
    assert not rows["volume_ratio"]["passed"] and rows["volume_ratio"]["more"]
    # of a metric that has no list of worst cells only that some are beyond
    assert not rows["volume"]["passed"] and rows["volume"]["beyond"] == 1 and rows["volume"]["more"]


def test_products_of_earlier_versions_are_judged_by_what_they_tell():
    old = {
        "quality": {"equiangle_skewness": {"min": 0.0, "max": 0.97, "mean": 0.2}},
        "findings": [],
    }
    out = verdict(old, "general", [], CELLS)
    assert [r["metric"] for r in out["rows"]] == ["equiangle_skewness"]
    assert out["rows"][0]["more"] and not out["passed"]


@pytest.mark.parametrize(
    ("rows", "words"),
    [
        ("none", "list"),
        ([{"of": "beauty", "value": 1}], "metric must be one of"),
        ([{"of": "warp"}], "no value: it needs the limit"),
        ([{"of": "warp", "value": 1}, {"of": "warp", "value": 2}], "“warp” stands in two rows"),
        ([{"of": "warp", "value": "x"}], "limit"),
        ([{"of": "warp", "value": float("nan")}], "finite"),
    ],
)
def test_limits_that_cannot_be_used_are_refused(rows, words):
    with pytest.raises(SettingRejected, match=words):
        limit_rows(CELLS).check("volume.own_limits", "own limits", rows, {})


def test_limits_take_arithmetic():
    rows = limit_rows(CELLS).check("x", "own limits", [{"of": "warp", "value": "2 * 10"}], {})
    assert limits_of("own", rows, CELLS)[0].value == 20.0


def test_changing_limits_computes_nothing_again(tmp_path):
    part = source(box(0, 0, 0, 20, 16, 12), tmp_path)
    sizes = {"sizing": {"smallest": 4.0, "largest": 8.0}, **BARE}
    store = MemoryStore()
    first = {s.stage: s for s in run_to("volume", part, "b", sizes, store)}
    before = len(store.products)
    strict = {**sizes, "volume": {"limits": "own", "own_limits": [{"of": "warp", "value": -1}]}}
    again = {s.stage: s for s in run_to("volume", part, "b", strict, store)}
    assert again["volume"].key == first["volume"].key and len(store.products) == before
    assert first["volume"].report["verdict"]["passed"]
    assert not again["volume"].report["verdict"]["passed"]
    assert again["case"].key != first["case"].key


def test_a_report_of_volume_tells_sizes_over_the_field(tmp_path):
    sizes = {"sizing": {"smallest": 4.0, "largest": 4.0}, **BARE}
    store = MemoryStore()
    states = {
        s.stage: s
        for s in run_to("volume", source(box(0, 0, 0, 20, 16, 12), tmp_path), "b", sizes, store)
    }
    out = states["volume"].report
    ratio = store.get(states["volume"].key).arrays["size_ratio"]
    lengths = out["quality"]["edge_length"]
    # the field is 4 everywhere
    assert out["quality"]["size_ratio"]["mean"] == pytest.approx(lengths["mean"] / 4.0, rel=1e-6)
    assert ratio.mean() == pytest.approx(lengths["mean"] / 4.0, rel=1e-5)
    assert set(out["worst"]) == {m.key for m in METRICS if m.judged}


def test_a_surface_tells_how_far_it_is_from_the_geometry(tmp_path):
    ball = BRepPrimAPI_MakeSphere(10.0).Shape()
    sizes = {"domain": {"where": "as-is"}, "sizing": {"smallest": 2.0, "largest": 2.0}, **BARE}
    states = run_to("surface", source(ball, tmp_path), "ball", sizes, MemoryStore())
    out = {s.stage: s for s in states}["surface"].report
    assert sum(out["histograms"]["deviation"]["count"]) == out["triangles"]
    # the middle of an equilateral triangle with its corners on the ball lies a²/6R inside of it;
    # the facets that it is held against lie inside too, by less
    assert 0.5 < out["quality"]["deviation"]["mean"] / (2.0 / (6 * 10.0)) < 1.05
    assert out["quality"]["aspect_ratio"]["min"] >= 1.0
    assert 30 < out["quality"]["smallest_angle"]["percentiles"]["1"] < 60


def test_tails_hold_the_worst_values_in_order(spoiled):
    mesh, _ = spoiled
    for key, tail in tails(Values(mesh)).items():
        metric = next(m for m in METRICS if m.key == key)
        values = Values(mesh).of_cells(key)
        wanted = np.sort(values[~np.isnan(values)])
        wanted = wanted[::-1][:TOLD] if metric.large_is_bad else wanted[:TOLD]
        np.testing.assert_array_equal(tail["values"], wanted)


def test_meshes_side_by_side_mark_what_differs(block, spoiled):
    rows = {r["key"]: r for r in compared([told(block), told(spoiled[0]), told(block)])}
    assert not rows["cells"]["differs"] and rows["cells"]["values"] == [block.cells] * 3
    dihedral = rows["smallest_dihedral.worst"]
    assert dihedral["differs"] and dihedral["best"] is None  # two of them are equally good
    two = {r["key"]: r for r in compared([told(spoiled[0]), told(block)])}
    assert two["smallest_dihedral.worst"]["best"] == 1
    assert two["passed"]["values"] == [False, True]


def test_what_one_mesh_lacks_is_told_as_lacking(block):
    other = replace(block, patches=tuple(replace(p, name=p.name + "_b") for p in block.patches))
    rows = [r for r in compared([told(block), told(other)]) if r["group"] == "patches"]
    assert len(rows) == 2 * len(block.patches)
    assert all(r["differs"] and None in r["values"] for r in rows)


def test_histograms_of_meshes_share_their_edges(block, spoiled):
    metric = METRICS[0]
    values = [Values(m).of_cells(metric.key) for m in (block, spoiled[0])]
    out = shared_histograms(values, metric, 12)
    assert out["edges"][0] == min(v.min() for v in values)
    assert out["edges"][-1] == max(v.max() for v in values)
    assert [sum(c) for c in out["counts"]] == [block.cells, block.cells]
    assert [pytest.approx(1.0)] * 2 == [sum(s) for s in out["shares"]]


def _written(mesh, path):
    path.write_bytes(any_cells.vtu_bytes(mesh, {}))
    return str(path)


def test_check_prints_bars_worst_cells_and_the_verdict(spoiled, tmp_path, capsys):
    mesh, _ = spoiled
    path = _written(mesh, tmp_path / "spoiled.vtu")
    assert (
        main(["check", path, "--metric", "smallest_dihedral", "--bars", "5", "--worst", "3"]) == 0
    )
    out = capsys.readouterr().out
    values = Values(mesh).of_cells("smallest_dihedral")
    counts = np.histogram(values, 5)[0]
    bars = [line for line in out.splitlines() if (" to " in line and "█" in line) or " 0 " in line]
    assert [int(line.split()[3].replace(",", "")) for line in bars[:5]] == counts.tolist()
    worst = int(np.argmin(values))
    assert f"{worst:,} tetrahedron" in out and "NOT WITHIN the general limits" in out
    assert out.rstrip().endswith("valid")


def test_check_fails_beyond_limits_only_if_they_are_asked_for(spoiled, block, tmp_path, capsys):
    bad, good = _written(spoiled[0], tmp_path / "a.vtu"), _written(block, tmp_path / "b.vtu")
    assert main(["check", bad]) == 0
    assert main(["check", bad, "--limits", "strict"]) == 1
    assert main(["check", good, "--limits", "general"]) == 0
    capsys.readouterr()
    assert main(["check", bad, "--json", "--worst", "2"]) == 0
    out = json.loads(capsys.readouterr().out)
    (listed,) = out["worst_cells"].values()
    assert len(listed) == 2 and out["verdict"]["limits"] == "general"


def test_check_refuses_what_it_cannot_tell(block, tmp_path, capsys):
    path = _written(block, tmp_path / "b.vtu")
    assert main(["check", path, "--metric", "size_ratio"]) == 2
    assert "tells nothing of edge length over the field" in capsys.readouterr().err
    assert main(["check", path, "--bars", "0"]) == 2
    assert main(["check", str(tmp_path / "none.vtu")]) == 2


def test_compare_prints_a_table_and_marks_differences(block, spoiled, tmp_path, capsys):
    bad, good = _written(spoiled[0], tmp_path / "a.vtu"), _written(block, tmp_path / "b.vtu")
    assert main(["compare", bad, good]) == 0
    lines = capsys.readouterr().out.splitlines()
    line = next(x for x in lines if "Smallest dihedral angle, worst" in x)
    assert line.startswith("≠")
    assert not next(x for x in lines if " Cells " in x).startswith("≠")
    assert main(["compare", bad, good, "--json", "--metric", "volume", "--bars", "3"]) == 0
    out = json.loads(capsys.readouterr().out)
    assert out["meshes"] == ["a.vtu", "b.vtu"]
    assert [sum(c) for c in out["histogram"]["volume"]["counts"]] == [block.cells] * 2


def test_compare_wants_two_to_four_meshes(block, tmp_path, capsys):
    path = _written(block, tmp_path / "b.vtu")
    assert main(["compare", path]) == 2 and "two to 4" in capsys.readouterr().err
    assert main(["compare", *[path] * 5]) == 2


def test_a_flat_cell_and_one_without_an_edge_are_told_in_plain_numbers():
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0], [0, 0, 1], [0, 0, 1.0]])
    for tets in ([[0, 1, 2, 3]], [[0, 1, 2, 4]], [[0, 1, 4, 5]]):
        own = np.array(tets, np.int32)
        mesh = tet_mesh(points, own, np.zeros((0, 3), np.int32), np.zeros(0, np.int32), ())
        values = Values(mesh)
        text = json.dumps(judged(report(values, []), "strict", []), allow_nan=False)
        assert "equiangle_skewness" in text


def test_shaken_cells_of_any_shape_are_judged():
    for make in (any_cells.mixed, any_cells.prisms, lambda: any_cells.dual(any_cells.tetrahedra())):
        mesh = make()
        out = told(shaken(mesh) if mesh.shape.max() else mesh)
        assert out["cells"] == mesh.cells and out["verdict"]["rows"]
