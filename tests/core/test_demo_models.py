"""The demo models: expected faults found exactly, and each recipe to a closed, named domain."""

import json
from pathlib import Path

import numpy as np
import pytest

from demo.bracket import GAP, HEIGHT, LENGTH, SLIVER, WIDTH, sound_volume
from demo.buoy import BOLTS, SEAM
from demo.buoy import GAP as SEAM_GAP
from demo.cooler import TUBES, tube_volume, water_volume
from demo.drum import exact_volume
from demo.elbow import air_volume, sheet_areas
from demo.slot import plan_area
from intaglio.cli import main
from intaglio.parts.source import together
from intaglio.recipe.plan import run_to
from intaglio.recipe.recipe import read_recipe
from tests.core.shapes import uncounted

DEMO = Path(__file__).parents[2] / "demo"


def _findings(name: str, capsys) -> dict:
    main(["findings", str(DEMO / "models" / name), "--json"])
    return json.loads(capsys.readouterr().out)


@pytest.mark.slow
@pytest.mark.parametrize("name", ["ejector.step", "cooler.step", "drum.step", "slot.step"])
def test_nothing_is_invented_on_the_sound_models(name, capsys):
    told = _findings(name, capsys)
    assert told["closed"] and told["findings"] == []


def test_the_five_faults_of_the_bracket(capsys):
    told = _findings("bracket_bad.step", capsys)
    found = {f["code"]: f for f in told["findings"]}
    assert not told["closed"]
    assert {k: f["count"] for k, f in found.items()} == {
        "duplicate-faces": 1, "gaps": 4, "holes": 1, "inverted": 1, "slivers": 1, "open-body": 1,
    }  # fmt: skip
    assert found["gaps"]["size"] == pytest.approx(GAP, rel=1e-4)
    assert all(p[2] == pytest.approx(HEIGHT, abs=0.2) for p in found["gaps"]["places"])
    assert found["holes"]["places"][0] == pytest.approx([LENGTH, 30, 5], abs=1e-3)
    assert found["slivers"]["size"] == pytest.approx(SLIVER, rel=1e-3)
    assert found["slivers"]["places"][0][1] == pytest.approx(WIDTH - SLIVER / 2, abs=1e-6)
    assert found["duplicate-faces"]["places"][0][1] == pytest.approx(0.0, abs=1e-9)
    assert found["inverted"]["places"][0] == pytest.approx([26, 30, 26])


def test_the_faults_of_the_buoy(capsys):
    found = {f["code"]: f for f in _findings("buoy.stl", capsys)["findings"]}
    assert set(found) == {
        "unit-unknown", "gaps", "loose-pieces", "overlapping-bodies", "open-body",
    }  # fmt: skip
    assert found["gaps"]["count"] == 1
    assert found["gaps"]["size"] == pytest.approx(SEAM_GAP, rel=1e-3)
    assert found["gaps"]["places"][0][2] == pytest.approx(SEAM, abs=2 * SEAM_GAP)
    assert found["loose-pieces"]["count"] == BOLTS


def _domain(name: str) -> dict:
    recipe = read_recipe(DEMO / "recipes" / f"{name}.yaml")
    source = together([(p.name, p.read_bytes()) for p in recipe.parts])
    with uncounted() as store:
        states = run_to(
            "patches", source, recipe.name, recipe.settings, store, numbers=recipe.numbers
        )
    reports = {s.stage: s.report for s in states}
    assert reports["geometry"]["closed"]
    errors = [f for f in reports["patches"]["findings"] if f["level"] == "error"]
    assert errors == []
    placed = sum(len(p["faces"]) for p in reports["patches"]["patches"])
    assert placed == len(reports["domain"]["faces"])
    return reports


def test_bracket():
    reports = _domain("bracket_bad")
    gusset = 30 * 6 * 30
    solid = reports["geometry"]["volume"]
    # the gap under the top face is closed by up to its own width
    assert solid == pytest.approx(sound_volume() + gusset, rel=1e-3)
    low, high = np.array(reports["domain"]["low"]), np.array(reports["domain"]["high"])
    assert reports["domain"]["volume"] == pytest.approx(np.prod(high - low) - solid, rel=1e-6)
    assert [r["problem"] for r in reports["geometry"]["log"]] == [None] * 5


@pytest.mark.slow
def test_cooler():
    reports = _domain("cooler")
    zones = {z["name"]: z for z in reports["domain"]["zones"]}
    assert zones["water"]["volume"] == pytest.approx(water_volume(), rel=1e-6)
    tubes = [z for n, z in zones.items() if n.startswith("tube")]
    assert len(tubes) == TUBES and all(z["kind"] == "solid" for z in tubes)
    for tube in tubes:
        assert tube["volume"] == pytest.approx(tube_volume(), rel=1e-6)
    sizes = {p["name"]: p["area"] for p in reports["patches"]["patches"]}
    assert sizes["water_in"] == pytest.approx(np.pi * 64, rel=1e-6)
    assert sizes["glycol_out"] == pytest.approx(np.pi * 49, rel=1e-6)


def test_slot():
    reports = _domain("slot")
    assert reports["domain"]["volume"] == pytest.approx(20 * plan_area(), rel=1e-6)
    patches = {p["name"]: p for p in reports["patches"]["patches"]}
    assert patches["front"]["area"] == pytest.approx(plan_area(), rel=1e-6)
    assert patches["inlet"]["area"] == pytest.approx(20 * 1200, rel=1e-6)
    assert len(patches["pier"]["faces"]) == 2


def test_elbow():
    reports = _domain("elbow")
    assert [f["code"] for f in reports["geometry"]["findings"]] == ["standing-sheets"]
    assert reports["domain"]["volume"] == pytest.approx(air_volume(), rel=1e-6)
    patches = {p["name"]: p["area"] for p in reports["patches"]["patches"]}
    known = sheet_areas()
    divider = known.pop("divider")
    assert [patches["divider"], patches["divider_back"]] == pytest.approx([divider] * 2, rel=1e-6)
    vanes = sum(known.values())
    assert [patches["vanes"], patches["vanes_back"]] == pytest.approx([vanes] * 2, rel=1e-6)


def test_drum():
    reports = _domain("drum")
    assert reports["domain"]["volume"] == pytest.approx(exact_volume(), rel=1e-6)
    patches = {p["name"]: p for p in reports["patches"]["patches"]}
    assert patches["side_1"]["area"] == pytest.approx(patches["side_2"]["area"], rel=1e-9)
    assert len(patches["bars"]["faces"]) == 3


def test_buoy():
    reports = _domain("buoy")
    assert reports["geometry"]["unit"] == "m"
    assert [r["count"] for r in reports["geometry"]["log"][::2]] == [BOLTS, 3]
    whole = np.prod(reports["domain"]["size"])
    half = reports["geometry"]["volume"] / 2
    # the body is round: half of it is cut from half of the box, to the facets' resolution
    assert reports["domain"]["volume"] == pytest.approx(whole - half, rel=1e-5)
    assert {p["kind"] for p in reports["patches"]["patches"]} == {
        "inlet", "outlet", "far_field", "symmetry", "wall",
    }  # fmt: skip


def test_convert_and_write_on_the_command_line(tmp_path, capsys):
    model = DEMO / "models/bracket_bad.step"
    assert main(["convert", str(model), str(tmp_path / "b.stl")]) == 0
    assert main(["convert", str(tmp_path / "b.stl"), str(tmp_path / "b.ply")]) == 0
    assert main(["convert", str(tmp_path / "b.ply"), str(tmp_path / "b.step")]) == 2
    assert "Facets cannot become CAD" in capsys.readouterr().err
    assert main(["findings", str(tmp_path / "b.ply")]) == 1
    out = capsys.readouterr().out
    assert "NOT CLOSED" in out and "Gaps" in out and "repair:" in out
    recipe = str(DEMO / "recipes/slot.yaml")
    assert main(["write", recipe, "--per", "patch", "--as", "obj", "--out", str(tmp_path)]) == 0
    assert {p.name for p in tmp_path.glob("*.obj")} == {
        f"{n}.obj" for n in ("inlet", "outlet", "pier", "front", "back", "banks")
    }
    assert main(["draft", str(model), "-o", str(tmp_path / "r.yaml"), "--fluid", "around"]) == 0
    assert "left:" not in capsys.readouterr().out
    drafted = (tmp_path / "r.yaml").read_text()
    assert "repair_safe" in drafted and "do: close" in drafted
