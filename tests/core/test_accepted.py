"""Findings that were let stand: in recipe, states and report."""

import jsonschema
import pytest

from intaglio.cli import main
from intaglio.errors import SettingRejected
from intaglio.recipe.accepted import check_accepted, marked
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.recipe.recipe import plain_settings, read_recipe
from intaglio.recipe.schema import recipe_schema
from intaglio.reporting.page import report_page
from tests.core.shapes import pipe, source

WHY = "the seat is blunted in the next issue of the drawing"
# nobody's mesh keeps this limit
STRICT = {"limits": "own", "own_limits": [{"of": "equiangle_skewness", "value": 0.001}]}


def finding(code, level="caution"):
    return {"code": code, "level": level, "message": code}


@pytest.mark.parametrize(
    "raw",
    [
        ["volume.beyond-warp"],
        {"beyond-warp": "why"},
        {"magic.beyond-warp": "why"},
        {"volume.": "why"},
        {"volume.beyond-warp": "   "},
        {"volume.beyond-warp": 7},
        {"volume.beyond-warp": "x" * 301},
    ],
)
def test_what_is_no_finding_or_has_no_reason_is_refused(raw):
    with pytest.raises(SettingRejected):
        check_accepted(raw)


def test_only_the_named_findings_are_marked_and_never_an_error():
    report = {"findings": [finding("a"), finding("b"), finding("c", "error")], "cells": 3}
    accepted = check_accepted({"volume.a": f" {WHY} ", "volume.c": "no", "surface.b": "no"})
    out = marked(report, "volume", accepted)
    assert [f.get("accepted") for f in out["findings"]] == [WHY, None, None]
    assert "accepted" not in report["findings"][0] and out["cells"] == 3
    # where nothing is accepted the report is the one that was given
    assert marked(report, "layers", accepted) is report


@pytest.fixture(scope="module")
def rows(tmp_path_factory):
    store, part = MemoryStore(), source(pipe(), tmp_path_factory.mktemp("pipe"), "pipe")
    given = {"volume": STRICT, "accepted": {"volume.beyond-equiangle-skewness": WHY}}
    return run_to("volume", part, "pipe", given, store), store, part


def test_a_state_tells_the_reason_and_its_key_does_not_depend_on_it(rows):
    states, store, part = rows
    volume = next(s for s in states if s.stage == "volume")
    (row,) = [f for f in volume.report["findings"] if f["code"] == "beyond-equiangle-skewness"]
    assert row["accepted"] == WHY
    again = run_to("volume", part, "pipe", {"volume": STRICT}, store)
    other = next(s for s in again if s.stage == "volume")
    assert other.key == volume.key
    assert all("accepted" not in f for f in other.report["findings"])


def test_the_report_tells_what_was_accepted_apart_from_what_is_left(rows):
    states, store, _ = rows
    page = report_page(states, store, "pipe", "", "pipe.step", "now")
    accepted, left = page.index("<h3>Accepted</h3>"), page.index("How it was made")
    assert accepted < page.index(WHY) < left
    assert page.count(WHY) == 1


def test_a_recipe_holds_them(tmp_path):
    path = tmp_path / "pipe.yaml"
    path.write_text(
        f'recipe: 1\npart: pipe.step\naccepted:\n  volume.beyond-warp: "{WHY}"\n', encoding="utf-8"
    )
    recipe = read_recipe(path)
    assert recipe.settings["accepted"] == {"volume.beyond-warp": WHY}
    assert plain_settings(recipe)["accepted"] == {"volume.beyond-warp": WHY}
    schema = recipe_schema()
    jsonschema.validate(
        {"recipe": 1, "part": "a.step", "accepted": {"volume.beyond-warp": WHY}}, schema
    )
    path.write_text("recipe: 1\npart: pipe.step\naccepted:\n  warp: because\n", encoding="utf-8")
    with pytest.raises(SettingRejected, match=r"volume\.beyond-warp"):
        read_recipe(path)


def test_a_case_with_errors_is_written_but_does_not_end_well(tmp_path, capsys):
    part = source(pipe(), tmp_path, "pipe")
    (tmp_path / part.name).write_bytes(part.data)
    path = tmp_path / "pipe.yaml"
    rows = '[{patches: ["*"], is: speed, speed: 1}, {patches: ["*"], is: no_slip}]'
    text = f"recipe: 1\npart: {part.name}\nsizing: {{cells: 8000}}\ncase: {{conditions: {rows}}}\n"
    path.write_text(text, encoding="utf-8")
    out = tmp_path / "out"
    assert main(["run", str(path), "--out", str(out), "--quiet"]) == 1
    told = capsys.readouterr().out
    assert "Nothing says what holds on opening_1" in told and "cannot be handed over" in told
    assert (out / "case.yaml").exists()
