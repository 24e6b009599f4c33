"""Python's interface and `intaglio run`: doctests, examples, numbers, folders of parts."""

import doctest
import json
import runpy
import shutil
from pathlib import Path

import numpy as np
import pytest

import intaglio
from intaglio.cli import main
from intaglio.errors import FileRejected, SettingRejected, StepFailed
from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.interface import study as study_module
from intaglio.quality.cells import measure
from tests.core import any_cells
from tests.core.shapes import pipe, source

ROOT = Path(__file__).parents[2]
SMALL = {"sizing": {"cells": 4000}, "layers": {"layers": []}}


@pytest.fixture
def folder(tmp_path, monkeypatch):
    """A folder to work in, with a pipe."""
    pipe_file(tmp_path / "pipe.step")
    monkeypatch.chdir(tmp_path)
    return tmp_path


def pipe_file(path, length=60.0):
    path.write_bytes(source(pipe(length=length), path.parent, path.stem).data)


@pytest.mark.slow
def test_every_example_of_the_interface_does_what_it_says(folder):
    told = doctest.testmod(study_module)
    assert told.failed == 0 and told.attempted > 20


def test_every_example_of_the_document_does_what_it_says(folder):
    told = doctest.testfile(str(ROOT / "docs/python.md"), module_relative=False)
    assert told.failed == 0 and told.attempted > 15


@pytest.mark.slow
@pytest.mark.parametrize("name", ["sweep", "ten_parts", "names_by_rule"])
def test_every_example_script_runs(name, folder, capsys):
    script = ROOT / f"demo/examples/{name}.py"
    runpy.run_path(str(script), run_name="__main__")
    assert capsys.readouterr().out.strip()


RECIPE = """\
recipe: 1
part: pipe.step
numbers:
  bore: 12
  fine: bore / 3
sizing:
  smallest: fine
  largest: fine
layers: {layers: []}
"""


@pytest.fixture
def recipe(folder):
    (folder / "pipe.yaml").write_text(RECIPE)
    return folder / "pipe.yaml"


def test_numbers_that_follow_from_another_follow_its_other_value(recipe):
    assert intaglio.open(recipe).numbers == {"bore": 12.0, "fine": 4.0}
    assert intaglio.open(recipe, bore=9).numbers == {"bore": 9.0, "fine": 3.0}
    assert intaglio.open(recipe, fine="bore / 4").numbers["fine"] == 3.0
    with pytest.raises(SettingRejected, match=r"called throat\. It has bore, fine"):
        intaglio.open(recipe, throat=3)
    with pytest.raises(SettingRejected, match="for a recipe"):
        intaglio.open("pipe.step", bore=3)


def test_a_study_shares_with_another_what_is_equal(recipe):
    one = intaglio.open(recipe, quiet=True)
    one.run("surface")
    kept = len(one.store.products)
    other = one.set(case={"iterations": 7})
    other.run("surface")
    assert len(one.store.products) == kept
    one.set(sizing={"largest": 3.5, "smallest": 3.5}).run("surface")
    assert len(one.store.products) == kept + 2
    assert one.settings.get("case", {}) == {}


def test_what_cannot_be_is_refused_in_words(recipe):
    study = intaglio.open(recipe, quiet=True)
    for wrong in ({"mesh": {}}, {"sizing": {"colour": 3}}, {"sizing": {"cells": -1}}):
        with pytest.raises(SettingRejected):
            study.set(**wrong)
    with pytest.raises(SettingRejected):
        study.run("everything")
    with pytest.raises(SettingRejected, match="calls ends"):
        study.name_patches(lambda f: ("ends", "inlet" if f["area"] > 300 else "wall"))
    with pytest.raises(FileRejected):
        intaglio.open("nothing.step")


def test_a_case_with_errors_is_not_exported(recipe, tmp_path):
    study = intaglio.open(recipe, quiet=True).set(case={"conditions": []})
    assert any(f["level"] == "error" and f["stage"] == "case" for f in study.check())
    assert study.check()[0]["level"] == "error"
    with pytest.raises(StepFailed, match="cannot be handed over"):
        study.export(tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_a_finished_mesh_is_a_study_too(folder):
    mesh = any_cells.mixed()
    write_cgns(mesh, folder / "brought.cgns")
    study = intaglio.open(folder / "brought.cgns", quiet=True)
    got = study.mesh()
    assert got.cells == mesh.cells and got.patches[0].name == "left"
    out = study.set(case={"length": "m", "files": ["cgns"]}).export(folder / "out")
    again = read_cgns(next(p for p in out if p.suffix == ".cgns"))
    assert again.unit == "m"
    assert measure(again).volume.sum() == pytest.approx(1e-9 * measure(mesh).volume.sum())


def test_the_exported_mesh_is_narrow_and_the_study_s_as_filled(recipe, tmp_path):
    study = intaglio.open(recipe, quiet=True)
    mesh = study.mesh()
    paths = study.set(case={"numbering": "as_filled", "files": ["cgns"]}).export(tmp_path / "a")
    same = read_cgns(next(p for p in paths if p.suffix == ".cgns"))
    np.testing.assert_array_equal(same.cell_nodes, mesh.cell_nodes)
    np.testing.assert_array_equal(same.points, mesh.points)


def test_a_recipe_is_written_with_numbers_worked_out_and_read_again(recipe, folder):
    text = RECIPE + "case: {iterations: 2 * bore}\naccepted: {surface.thin: drawn so}\n"
    recipe.write_text(text)
    study = intaglio.open(recipe, quiet=True, bore=9)
    study.recipe(folder / "again.yaml")
    again = intaglio.open(folder / "again.yaml", quiet=True)
    assert again.settings["sizing"]["largest"] == 3.0
    assert again.settings["case"]["iterations"] == 18
    assert again.settings["accepted"] == {"surface.thin": "drawn so"}
    keys = [{s.stage: s.key for s in one._states("surface")}["surface"] for one in (study, again)]
    assert keys[0] == keys[1]


# the command line


def test_run_takes_other_numbers_and_settings(recipe, capsys):
    small = ["--set", "bore=15", "--set", "case.files=[vtu]", "--set", "case.length=m", "--quiet"]
    assert main(["run", str(recipe), "--out", "out", *small]) == 0
    told = json.loads(Path("out/report.json").read_text())
    assert told["unit"] == "m" and told["zones"]["fluid"]["volume"] == pytest.approx(
        np.pi * 49e-6 * 0.06, rel=0.15
    )
    assert sorted(p.name for p in Path("out").iterdir()) == [
        "README.txt", "case.yaml", "mesh.vtu", "report.json",
    ]  # fmt: skip
    more = main(["run", str(recipe), "--out", "finer", "--quiet", "--set", "case.files=[vtu]"])
    assert more == 0
    assert json.loads(Path("finer/report.json").read_text())["cells"] > told["cells"]


@pytest.mark.parametrize(
    "change",
    [
        "bore",
        "=3",
        "bore=",
        "throat=3",
        "bore=much",
        "nothing.cells=3",
        "sizing.cells=[",
        "quiet=1",
        "part=2",
        "name=3",
    ],
)
def test_changes_that_cannot_be_read_are_refused(recipe, change, capsys):
    assert main(["run", str(recipe), "--out", "out", "--quiet", "--set", change]) == 2
    assert "intaglio: " in capsys.readouterr().err and not Path("out").exists()


def test_a_folder_of_parts_goes_on_after_one_that_fails(recipe, capsys):
    parts = Path("parts")
    parts.mkdir()
    pipe_file(parts / "long.step", 80.0)
    pipe_file(parts / "short.step", 40.0)
    (parts / "broken.step").write_text("ISO-10303-21; nothing")
    (parts / "notes.txt").write_text("no part")
    wanted = ["--parts", "parts", "--out", "out", "--quiet", "--set", "case.files=[vtu]"]
    assert main(["run", str(recipe), *wanted]) == 1
    out, err = capsys.readouterr()
    assert out.count("\ndone") == 2 and "failed" in out and "broken.step" in err
    volumes = [
        json.loads(Path(f"out/{n}/report.json").read_text())["zones"]["fluid"]["volume"]
        for n in ("long", "short")
    ]
    assert volumes[0] / volumes[1] == pytest.approx(2.0, rel=1e-2)
    assert not Path("out/broken").exists()


def test_a_folder_is_not_begun_with_numbers_that_the_recipe_does_not_have(recipe, capsys):
    wanted = ["--parts", "pipe.step", "--out", "out", "--set", "throat=3"]
    assert main(["run", str(recipe), *wanted]) == 2
    assert "no number called throat" in capsys.readouterr().err


def test_a_mesh_that_cannot_be_written_is_said_with_its_place(folder, capsys):
    write_cgns(any_cells.tetrahedra(), folder / "m.cgns")
    (folder / "taken").write_text("a file, where a folder is meant")
    target = str(folder / "taken/m.cgns")
    assert main(["layers", "m.cgns", "--count", "1", "-o", target]) == 2
    err = capsys.readouterr().err
    assert err.startswith("intaglio: ") and "taken" in err and "None" not in err


def test_parts_of_one_name_go_to_folders_of_their_own(recipe, capsys):
    shutil.copytree(".", "other", ignore=lambda *_: {"other", "pipe.yaml"})
    assert main(["run", str(recipe), "--parts", "pipe.step", "other", "--out", "o"]) == 2
    assert "same name" in capsys.readouterr().err
    Path("empty").mkdir()
    assert main(["run", str(recipe), "--parts", "empty", "--out", "o"]) == 2
