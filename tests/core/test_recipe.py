"""Recipes: settings, expressions, keys, and the command line."""

import json
import re
import subprocess
import sys
from pathlib import Path

import jsonschema
import numpy as np
import pytest
import yaml

import intaglio
from intaglio.cli import main
from intaglio.errors import FileRejected, SettingRejected
from intaglio.mesh.pack import pack, unpack
from intaglio.recipe.plan import MemoryStore, run_to, stages_before, states
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.recipe.schema import recipe_schema
from intaglio.settings.expressions import evaluate
from intaglio.stages.patches.naming import resolve
from intaglio.stages.registry import STAGES
from tests.core.shapes import BARE, box, pipe, source

ROOT = Path(__file__).parents[2]
COARSE = {"sizing": {"smallest": 2.0, "largest": 3.0}}


@pytest.mark.parametrize(
    "text, value",
    [("2", 2), ("=throat/10", 2), ("(throat + 1e1) * -2", -60), ("2**3", 8), (" throat ", 20)],
)
def test_arithmetic(text, value):
    assert evaluate(text, {"throat": 20.0}) == value


@pytest.mark.parametrize(
    "text",
    [
        "", "two", "__import__('os')", "1/0", "9**9**9", "[1]", "throat.real", "1" * 300,
        "'a' * 9", "(-8)**0.5", "1e308 * 10", "throat()", "True", "{1}", "1 < 2", "1 if 2 else 3)",
        "'a' * 10**12", "b'a' * 9 ** 9", "9j", "None", "...", "-" * 190 + "1" + "j",
        "(" * 150, "throat[0]", "f'{1}'", "lambda: 1", "9 if throat > 1 else (", "not 1",
    ],
)  # fmt: skip
def test_what_is_no_arithmetic(text):
    with pytest.raises(ValueError):
        evaluate(text, {"throat": 20.0})


def test_every_blank_of_every_stage_is_in_its_sentences():
    for stage in STAGES:
        from intaglio.settings.blanks import blanks_of

        told = " ".join(sentence.text for sentence in stage.sentences)
        for name, blank in blanks_of(stage.settings).items():
            assert "{" + name + "}" in told
            assert blank.label and blank.rule


def test_demo_recipes_fit_the_published_schema():
    for path in sorted((ROOT / "demo/recipes").glob("*.yaml")):
        jsonschema.validate(yaml.safe_load(path.read_text()), recipe_schema())
        assert all(p.is_file() for p in read_recipe(path).parts)


def test_numbers_are_worked_out():
    settings = plain_settings(read_recipe(ROOT / "demo/recipes/ejector.yaml"))
    assert settings["sizing"]["smallest"] == 1.6
    assert settings["sizing"]["largest"] == 4.0


@pytest.mark.parametrize(
    "text, error",
    [
        ("recipe: 1", FileRejected),
        ("part: a.step", FileRejected),
        ("{", FileRejected),
        ("- a", FileRejected),
        ("recipe: 1\npart: a.step\ncolour: red", SettingRejected),
        ("recipe: 1\npart: a.step\nsizing: 3", SettingRejected),
        ("recipe: 1\npart: a.step\nnumbers: {a: b}", SettingRejected),
    ],
)
def test_bad_recipes(text, error, tmp_path):
    path = tmp_path / "r.yaml"
    path.write_text(text)
    with pytest.raises(error):
        read_recipe(path)


def test_only_what_depends_on_a_setting_goes_out_of_date(tmp_path):
    part = source(pipe(), tmp_path)
    store = MemoryStore()
    run_to("case", part, "pipe", COARSE, store)

    def stale(given):
        from intaglio.recipe.plan import source_key

        rows = states(source_key(part.data), "pipe", given, store.report)
        return [s.stage for s in rows if s.report is None]

    assert stale(COARSE) == []
    assert stale({**COARSE, "case": {"iterations": 7}}) == ["case"]
    assert stale({"sizing": {"smallest": 2.0, "largest": 4.0}}) == [
        "sizing", "surface", "layers", "volume", "case",
    ]  # fmt: skip
    # what patches are called does not matter to the mesh, where layers stand does
    told = store.report(next(k for k in store.products if "patches" in store.products[k].report))
    rows = [{**p, "name": f"my_{p['name']}"} for p in told["patches"]]
    keys = ("name", "kind", "faces")
    renamed = {"patches": [{k: row[k] for k in keys} for row in rows]}
    named = {**COARSE, "patches": renamed}
    run_to("patches", part, "pipe", named, store)
    assert stale(named) == ["case"]
    patches = [{"name": "all", "kind": "wall", "faces": "rest"}]
    walls = {**COARSE, "patches": {"patches": patches}}
    run_to("patches", part, "pipe", walls, store)
    assert stale(walls) == ["layers", "volume", "case"]
    bare = {**COARSE, **BARE}
    run_to("case", part, "pipe", bare, store)
    assert stale({**bare, "patches": {"patches": patches}}) == ["case"]
    assert stale(COARSE) == []  # going back finds the old results


def test_running_again_computes_nothing(tmp_path):
    part = source(box(0, 0, 0, 1, 1, 1), tmp_path)
    store = MemoryStore()
    run_to("sizing", part, "box", {}, store)
    ran = []
    run_to("sizing", part, "box", {}, store, lambda stage, share, doing: ran.append(stage))
    assert ran == []


def test_same_settings_same_bytes(tmp_path):
    part = source(pipe(), tmp_path)
    zips = []
    for _ in range(2):
        store = MemoryStore()
        rows = run_to("volume", part, "pipe", COARSE, store)
        product = store.get(next(s.key for s in rows if s.stage == "volume"))
        zips.append(dict(product.arrays))
    for name in ("points", "cell_nodes", "patch"):
        np.testing.assert_array_equal(zips[0][name], zips[1][name])


def test_stages_before():
    wanted = ["geometry", "domain", "patches", "sizing", "surface"]
    assert stages_before("surface") == wanted
    assert stages_before("case")[-2:] == ["volume", "case"]


FACES = [{"id": name, "at": [float(k), 0.0, 0.0]} for k, name in enumerate("abc")]


def _apart(spot):
    return np.array([abs(spot[0] - k) for k in range(3)])


@pytest.mark.parametrize(
    "patches, codes",
    [
        ([("p", ["a"]), ("q", "rest")], []),
        ([("p", ["a"])], ["face-without-patch"]),
        ([("p", ["a"]), ("q", ["a", "b"]), ("r", "rest")], ["face-twice"]),
        ([("p", ["x"]), ("q", "rest")], ["unknown-face"]),
        ([("1p", ["a"]), ("q", "rest")], ["patch-name"]),
        ([("a b", ["a"]), ("q", "rest")], ["patch-name"]),
        ([("p", ["a"]), ("P", ["b"]), ("q", "rest")], ["patch-twice"]),
        ([("p", "rest"), ("q", "rest")], ["two-rests"]),
        ([("p", []), ("q", "rest")], ["empty-patch"]),
    ],
)
def test_rules_of_patches(patches, codes):
    rows = [{"name": n, "kind": "wall", "faces": f} for n, f in patches]
    members, found = resolve(rows, FACES, 10.0, _apart)
    assert [f.code for f in found] == codes
    placed = [f for m in members for f in m]
    assert len(placed) == len(set(placed))


@pytest.mark.parametrize(
    "reference, faces",
    [
        ("b", [1]),
        ("b @ 1 0 0", [1]),
        ("b @ 2 0 0", [2]),  # renumbered: the place decides
        ("gone @ 0 0 0", [0]),
        ("@ 2 0 0", [2]),
        ("gone @ 1.5 0 0", []),
        ("*", [0, 1, 2]),
        ("B*", [1]),
    ],
)
def test_faces_are_found_by_name_pattern_and_place(reference, faces):
    rows = [{"name": "p", "kind": "wall", "faces": [reference]}]
    members, found = resolve(rows, FACES, 10.0, _apart)
    assert members == [faces]
    assert ("unknown-face" in [f.code for f in found]) == (not faces)


def test_packed_arrays_survive():
    arrays = {"a": np.arange(7, dtype=np.int32), "b": np.eye(3), "e": np.zeros((0, 3), np.float32)}
    back, meta = unpack(pack(arrays, {"x": [1, "µ"]}))
    assert meta == {"x": [1, "µ"]}
    for name, array in arrays.items():
        np.testing.assert_array_equal(back[name], array)
        assert back[name].dtype == array.dtype
    with pytest.raises(ValueError):
        unpack(b"something else")


def test_draft_run_check_on_the_command_line(tmp_path, capsys):
    source(pipe(), tmp_path)
    recipe, out = tmp_path / "pipe.yaml", tmp_path / "out"
    assert main(["draft", str(tmp_path / "part.step"), "-o", str(recipe)]) == 0
    drafted = yaml.safe_load(recipe.read_text())
    jsonschema.validate(drafted, recipe_schema())
    assert drafted["part"] == "part.step"
    assert drafted["domain"]["where"] == "inside"
    # what follows from the part stays derived, and stands there as a comment
    assert drafted["sizing"] is None and drafted["patches"] is None
    text = recipe.read_text()
    for name, value in (("largest", "3.0"), ("smallest", "2.0")):
        text, count = re.subn(rf"^  # {name}: [0-9.]+$", f"  {name}: {value}", text, flags=re.M)
        assert count == 1
    recipe.write_text(text)
    assert main(["run", str(recipe), "--out", str(out), "--quiet"]) == 0
    assert {p.name for p in out.iterdir()} == {
        "mesh.cgns", "mesh.vtu", "case.yaml", "report.json", "README.txt", "patches",
    }  # fmt: skip
    capsys.readouterr()
    assert main(["check", str(out / "mesh.cgns"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    ran = json.loads((out / "report.json").read_text())
    assert told["valid"] and told["cells"] == ran["cells"] and told["patches"] == ran["patches"]


def test_a_number_of_cells_has_its_say_in_a_draft(tmp_path):
    source(pipe(), tmp_path)
    recipe = tmp_path / "pipe.yaml"
    assert main(["draft", str(tmp_path / "part.step"), "-o", str(recipe)]) == 0
    study = intaglio.open(recipe, quiet=True)
    few, many = (study.set(sizing={"cells": n}).run("sizing") for n in (4_000, 40_000))
    assert many["forecast"]["cells"] > 5 * few["forecast"]["cells"]
    given = {"cells": 40_000, "smallest": 2.0, "largest": 3.0}
    held = study.set(sizing=given).run("sizing")
    codes = [[f["code"] for f in told["findings"]] for told in (few, many, held)]
    assert ["cells-overruled" in own for own in codes] == [False, False, True]


def test_check_of_a_damaged_mesh_fails(tmp_path, capsys):
    import h5py

    source(box(0, 0, 0, 4, 4, 4), tmp_path)
    (tmp_path / "r.yaml").write_text(
        "recipe: 1\npart: part.step\nsizing: {smallest: 1, largest: 1}\n"
    )
    assert main(["run", str(tmp_path / "r.yaml"), "--out", str(tmp_path / "o"), "--quiet"]) == 0
    with h5py.File(tmp_path / "o/mesh.cgns", "r+") as file:
        x = file["Intaglio/fluid/GridCoordinates/CoordinateX/ data"]
        # from one end to far beyond the other
        x[int(x[:].argmin())] = 50.0
    capsys.readouterr()
    assert main(["check", str(tmp_path / "o/mesh.cgns")]) == 1
    assert "NOT VALID" in capsys.readouterr().out


@pytest.mark.parametrize(
    "argv, said",
    [
        (["draft", "gone.step", "-o", "x.yaml"], "gone.step"),
        (["run", "gone.yaml", "--out", "x"], "gone.yaml"),
        (["check", "gone.cgns"], "gone.cgns"),
    ],
)
def test_missing_files_end_in_words(argv, said, capsys):
    assert main(argv) == 2
    told = capsys.readouterr().err
    assert said in told and "Traceback" not in told


def test_draft_inside_of_a_block_says_why_not(tmp_path, capsys):
    source(box(0, 0, 0, 1, 1, 1), tmp_path)
    argv = ["draft", str(tmp_path / "part.step"), "-o", str(tmp_path / "r.yaml")]
    assert main([*argv, "--fluid", "inside"]) == 1
    assert "as-is" in capsys.readouterr().err
    assert main([*argv, "--fluid", "as-is"]) == 0


def test_the_installed_command():
    done = subprocess.run(
        [str(Path(sys.executable).parent / "intaglio"), "--version"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert done.stdout.startswith("intaglio ")


@pytest.mark.slow
@pytest.mark.parametrize("name", ["ejector", "drum"])
def test_demo_recipes_run_to_a_valid_case(name, tmp_path):
    out = tmp_path / name
    recipe = ROOT / f"demo/recipes/{name}.yaml"
    assert main(["run", str(recipe), "--out", str(out), "--quiet"]) == 0
    told = json.loads((out / "report.json").read_text())
    assert told["valid"] and [f for f in told["findings"] if f["level"] != "note"] == []
    # the sides of the drum's sector are meshed each for itself, and the report says so
    of_mesh = [f["code"] for f in told["findings"] if f["stage"] in ("volume", "case")]
    assert [c for c in of_mesh if c != "first-height"] == ["periodic-unpaired"] * (name == "drum")
    assert told["quality"]["smallest_dihedral"]["min"] > 12
    assert told["quality"]["equiangle_skewness"]["max"] < 0.85
