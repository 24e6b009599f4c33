"""What is found is told at all places, and the exit status follows from it; what cannot be written
is told before anything is computed."""

import json

import pytest

import intaglio
from intaglio.cli import main
from intaglio.formats.cgns.writing import write_cgns
from intaglio.stages.case import found_along
from tests.core import any_cells
from tests.core.shapes import box, pipe, source

COARSE = {"sizing": {"smallest": 2.0, "largest": 3.0}}
RECIPE = "recipe: 1\npart: part.step\nsizing: {smallest: 2.0, largest: 3.0}\n"


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A pipe with a recipe, and meshes of a box: of tetrahedra, and of prisms."""
    out = tmp_path_factory.mktemp("told")
    source(pipe(), out)
    (out / "pipe.yaml").write_text(RECIPE)
    return out


def _run(folder, capsys, layers, *more):
    (folder / "r.yaml").write_text(RECIPE + f"layers: {{layers: [{layers}]}}\n")
    status = main(["run", str(folder / "r.yaml"), "--out", str(folder / "out"), "--quiet", *more])
    told = capsys.readouterr()
    return status, told.out, told.err


def test_findings_of_every_stage_are_in_the_report_on_the_page_of_words_and_in_python(
    folder, capsys
):
    # layers too low for the core and too high for the closure, limits that nobody's mesh keeps
    strict = "volume.own_limits=[{of: equiangle_skewness, value: 0.001}]"
    status, words, _ = _run(
        folder, capsys, "{patches: ['*'], count: 3, growth: 1.2, first: 0.3}",
        "--set", "volume.limits=own", "--set", strict,
    )  # fmt: skip
    assert status == 0
    told = json.loads((folder / "out/report.json").read_text())
    found = [(f["stage"], f["code"]) for f in told["findings"]]
    assert {"layers", "volume", "case"} <= {stage for stage, _ in found}
    assert told["ready"] and told["valid"]
    study = intaglio.open(folder / "r.yaml", quiet=True)
    own = [{"of": "equiangle_skewness", "value": 0.001}]
    study = study.set(volume={"limits": "own", "own_limits": own})
    assert sorted((f["stage"], f["code"]) for f in study.check()) == sorted(found)
    for f in told["findings"]:
        assert f"{f['stage']}: {f['level']}: {f['message']}" in words
    # a reason given for one goes along with it
    why = "tried on the rig"
    recipe = (folder / "r.yaml").read_text() + f"accepted: {{layers.layers-step: {why}}}\n"
    (folder / "r.yaml").write_text(recipe)
    argv = ["run", str(folder / "r.yaml"), "--out", str(folder / "out"), "--quiet"]
    assert main(argv) == 0 and f"Accepted: {why}" in capsys.readouterr().out


def test_layers_that_stand_nowhere_are_told_everywhere(folder, capsys):
    status, words, _ = _run(folder, capsys, "{patches: ['*'], count: 3, growth: 1.2, first: 1000}")
    assert status == 1 and "layers: caution: No layer stands on wall" in words
    told = json.loads((folder / "out/report.json").read_text())
    assert ("layers", "layers-nowhere") in [(f["stage"], f["code"]) for f in told["findings"]]
    # the mesh may be handed over all the same
    assert told["valid"] and told["ready"]


def test_an_error_of_a_stage_before_makes_a_case_not_ready():
    row = {"code": "a", "level": "error", "message": "It is wrong.", "places": []}
    reports = {"geometry": {"findings": [row]}, "domain": {"findings": [row]}}
    (told,) = found_along.unsettled(reports)
    assert told.level == "error" and "Domain found an error: It is wrong." in told.message


@pytest.mark.parametrize(
    "change",
    [
        "layers.layers=[{patches: [vane], count: 3, growth: 1.2, last: 0.5}]",
        "sizing.sizes=[{patches: [vane], size: 0.5}]",
        "volume.divided=[{patches: [vane], count: 8, growth: 1.2}]",
    ],
)
def test_a_row_that_names_nothing_is_refused(folder, change, capsys):
    argv = ["run", str(folder / "pipe.yaml"), "--out", str(folder / "none"), "--quiet"]
    assert main([*argv, "--set", change]) == 2
    told = capsys.readouterr().err
    assert "vane" in told and change.split("=")[0] in told
    assert not (folder / "none").exists()


def test_a_condition_that_names_nothing_is_an_error(folder, capsys):
    (folder / "c.yaml").write_text(
        RECIPE + "case: {conditions: [{patches: ['*'], is: no_slip}, {patches: [vane], is: slip}]}"
    )
    assert main(["run", str(folder / "c.yaml"), "--out", str(folder / "out"), "--quiet"]) == 1
    assert "case: error: Row 2" in capsys.readouterr().out


def test_findings_are_told_once_in_the_unit_of_the_files():
    row = {"code": "a", "level": "note", "places": [[1.0, 2.0, 3.0]]}
    reports = {
        "surface": {"findings": [row]},
        "volume": {"findings": [{**row, "accepted": "why"}, {**row, "code": "b"}]},
    }
    of_mesh = [{**row, "places": [[0.1, 0.2, 0.3]]}, {**row, "code": "d"}]
    told = found_along.found_along(reports, of_mesh, [{**row, "code": "c"}], 0.1)
    assert [(f["stage"], f["code"]) for f in told] == [
        ("surface", "a"), ("volume", "b"), ("volume", "a"), ("case", "d"), ("case", "c"),
    ]  # fmt: skip
    assert told[0]["places"] == [pytest.approx([0.1, 0.2, 0.3])] and told[2]["accepted"] == "why"


def test_commands_end_with_2_where_no_wall_is_meant_and_1_where_no_layer_can_be(
    tmp_path, folder, capsys
):
    out = str(tmp_path / "out.cgns")
    source(box(0, 0, 0, 4, 4, 4), tmp_path)
    study = intaglio.open(tmp_path / "part.step", quiet=True).set(
        domain={"where": "as-is"}, layers={"layers": []}, **COARSE
    )
    mesh = str(tmp_path / "tets.cgns")
    write_cgns(study.mesh(), tmp_path / "tets.cgns")
    for command in ("layers", "divide"):
        assert main([command, mesh, "--patches", "vane", "-o", out]) == 2
        assert "no wall is called so" in capsys.readouterr().err
    assert main(["layers", mesh, "--first", "100", "-o", out]) == 1
    assert "No layer stands on" in capsys.readouterr().out
    assert main(["divide", mesh, "-o", out]) == 1
    assert "nothing to divide" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("command", "flag"),
    [
        (["run", "pipe.yaml"], "--out"),
        (["write", "pipe.yaml"], "--out"),
        (["report", "pipe.yaml"], "-o"),
        (["draft", "part.step"], "-o"),
        (["layers", "prisms.cgns"], "-o"),
        (["divide", "prisms.cgns"], "-o"),
        (["convert", "part.step"], None),
    ],
)
def test_what_cannot_be_written_is_told_before_anything_is_computed(
    folder, command, flag, capsys, monkeypatch
):
    monkeypatch.chdir(folder)
    write_cgns(any_cells.prisms(), folder / "prisms.cgns")
    (folder / "file").write_text("a file, no folder")
    monkeypatch.setattr("importlib.import_module", None)  # what computes is never loaded
    # the last is a folder of the kernel's, in which nobody makes files
    for place in ("file/below.stl", "/proc/below.stl"):
        assert main([*command, *([flag] if flag else []), place]) == 2
        told = capsys.readouterr().err
        assert f"{place} cannot be written" in told and "Name another place" in told


@pytest.mark.parametrize("command", ["report", "write"])
def test_a_part_in_place_of_a_recipe_is_refused_in_words(folder, command, capsys, tmp_path):
    flag = "-o" if command == "report" else "--out"
    assert main([command, str(folder / "part.step"), flag, str(tmp_path / "x")]) == 2
    assert "is no recipe but a part or a mesh. `intaglio draft" in capsys.readouterr().err
