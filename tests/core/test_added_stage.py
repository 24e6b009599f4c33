"""Adding a stage is a module and a line in the registry: a made-up one, in a copy of the core."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

CORE = Path(__file__).parents[2] / "core/intaglio"

SURVEY = '''
"""Survey: a made-up stage that weighs the file."""

from dataclasses import dataclass

import numpy as np

from intaglio.parts.model import Product
from intaglio.settings.blanks import blank
from intaglio.stages.reports import StageReport
from intaglio.stages.stage import Cost, Run, Sentence, Stage


@dataclass(frozen=True)
class Survey:
    weight: float = blank("number", "weight of a byte", "One is usual.", 1.0, above=0.0)


class SurveyReport(StageReport):
    total: float


def _run(run: Run) -> Product:
    run.tell(0.5, "weighing")
    total = run.settings.weight * len(run.source.data)
    return Product({"total": np.array([total])}, {"total": total, "findings": []})


STAGE = Stage(
    "survey",
    "Survey",
    Survey,
    SurveyReport,
    (Sentence("Each byte of the file weighs {weight}."),),
    "Weigh the file",
    (),
    run=_run,
    defaults=lambda reports, given: ({"weight": 1.0}, {"weight": "As usual."}),
    cost=lambda reports: Cost(0.5),
)
'''

USE = """
import json, sys
from pathlib import Path
from intaglio.errors import SettingRejected
from intaglio.parts.source import Source
from intaglio.recipe.plan import MemoryStore, costs, run_to, stages_before, states
from intaglio.recipe.recipe import plain_settings, read_recipe, write_recipe
from intaglio.recipe.schema import recipe_schema
from intaglio.stages.registry import BY_KEY, description

part, recipe = Path(sys.argv[1]), Path(sys.argv[2])
source, store, said = Source("part.stl", part.read_bytes()), MemoryStore(), []
tell = lambda stage, share, doing: said.append(doing)
rows = run_to("survey", source, "part", {"survey": {"weight": 2.0}}, store, tell)
own = {r.stage: r for r in rows}["survey"]
write_recipe(recipe, "part.stl", "part", {"survey": own.settings}, {"survey": own.reasons}, "mm")
asked = lambda w: states("k", "n", {"survey": {"weight": w}}, lambda k: None)
key = lambda w: {s.stage: s.key for s in asked(w)}
try:
    run_to("survey", source, "part", {"survey": {"weight": -1}}, store)
    refused = ""
except SettingRejected as error:
    refused = error.blank
print(json.dumps({
    "report": own.report["total"],
    "timed": own.report["step"]["name"],
    "said": said,
    "changed": own.changed,
    "described": [d for d in description() if d["key"] == "survey"],
    "schema": recipe_schema()["properties"]["survey"]["properties"],
    "recipe": plain_settings(read_recipe(recipe))["survey"],
    "written": recipe.read_text(),
    "key changes": key(1.0)["survey"] != key(3.0)["survey"],
    "others stay": key(1.0)["geometry"] == key(3.0)["geometry"],
    "before": stages_before("survey"),
    "cost": costs(["survey"], {}),
    "refused": refused,
}))
"""


@pytest.fixture(scope="module")
def told(tmp_path_factory) -> dict:
    """What a program finds in a core to which the stage was added by a module and a line."""
    folder = tmp_path_factory.mktemp("core")
    shutil.copytree(CORE, folder / "intaglio", ignore=shutil.ignore_patterns("__pycache__"))
    (folder / "intaglio/stages/survey.py").write_text(SURVEY)
    registry = folder / "intaglio/stages/registry.py"
    text = registry.read_text()
    changed = text.replace("    surface,\n", "    surface,\n    survey,\n").replace(
        "    case.STAGE,\n", "    case.STAGE,\n    survey.STAGE,\n"
    )
    lines = [a for a, b in zip(changed.splitlines(), text.splitlines(), strict=False) if a != b]
    assert len(changed.splitlines()) == len(text.splitlines()) + 2 and lines
    registry.write_text(changed)
    (folder / "part.stl").write_bytes(b"solid x\nendsolid x\n")
    environment = {**os.environ, "PYTHONPATH": str(folder)}
    done = subprocess.run(
        [sys.executable, "-c", USE, str(folder / "part.stl"), str(folder / "recipe.yaml")],
        env=environment, capture_output=True, text=True, check=False, cwd=folder,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_it_runs_and_is_timed(told):
    assert told["report"] == 2 * len(b"solid x\nendsolid x\n")
    assert told["timed"] == "survey" and "weighing" in told["said"]
    assert told["changed"] == ["weight"] and told["before"] == ["survey"]
    assert told["cost"] == {"survey": 0.5}


def test_it_is_described_to_the_page(told):
    (own,) = told["described"]
    assert own["title"] == "Survey" and own["action"] == "Weigh the file"
    assert own["sentences"][0]["text"] == "Each byte of the file weighs {weight}."
    assert [b["name"] for b in own["blanks"]] == ["weight"] and own["blanks"][0]["above"] == 0.0


def test_recipes_know_it(told):
    assert told["schema"]["weight"]["title"] == "weight of a byte"
    assert told["recipe"] == {"weight": 2.0}
    assert "# weight of a byte. As usual." in told["written"]
    assert told["refused"] == "survey.weight"


def test_its_settings_make_its_key_and_no_other(told):
    assert told["key changes"] and told["others stay"]
