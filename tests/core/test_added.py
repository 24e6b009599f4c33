"""Adding a stage, or a way of making the mesh, is a module and a line, a format a module, a shape
of cells a row of the table: made-up ones, in a copy of the core."""

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType

import numpy as np
import pytest

from tests import made_up_way
from tests.core.shapes import box, cut, source

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


USE_WAY = """
import json, sys
from pathlib import Path
from intaglio.errors import StepFailed
from intaglio.formats.registry import read_mesh
from intaglio.interface.study import opened
from intaglio.quality.report import mesh_findings
from intaglio.quality.values import Values
from intaglio.recipe.schema import recipe_schema
from intaglio.stages.registry import description, stages_of

folder = Path(sys.argv[1])
given = {"volume": {"cells": "fan"}, "sizing": {"smallest": 4.0, "largest": 6.0}}
study = opened([folder / "block.step"], None, None, True, {}).set(**given)
study = study.set(domain={"where": "as-is"})
files = study.set(case={"files": ["cgns", "vtu"]}).export(folder / "out")
mesh = read_mesh(folder / "out/mesh.cgns")
values = Values(mesh)
found = mesh_findings(mesh, values.measured)

def refused(act):
    try:
        act()
    except StepFailed as error:
        return error.code
hook = opened([folder / "hook.step"], None, None, True, {}).set(**given)
hook = hook.set(domain={"where": "as-is"})
(own,) = [d for d in description() if d["key"] == "volume"]
print(json.dumps({
    "through": [s.key for s in stages_of("a.step", given)],
    "triangles": study.run("surface")["triangles"],
    "cells": mesh.cells,
    "volume": float(values.measured.volume.sum()),
    "errors": [f.code for f in found if f.level == "error"],
    "told": study.run("volume")["cells"],
    "no layers": refused(lambda: study.run("layers")),
    "no fan": refused(lambda: hook.run("volume")),
    "choices": [b["choices"] for b in own["blanks"] if b["name"] == "cells"][0],
    "sentences": [s for s in own["sentences"] if s["only"] == {"cells": ["fan"]}],
    "schema": recipe_schema()["properties"]["volume"]["properties"]["cells"]["enum"],
    "written": study.recipe(folder / "r.yaml")["volume"]["cells"],
    "files": sorted(p.name for p in files),
}))
"""


# a hexahedron of which one edge of the top is shrunk to a node
WEDGED = """    Shape(
        "wedged",
        7,
        (
            (0, 3, 2, 1), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 6), (3, 0, 4, 6), (4, 5, 6),
        ),
    ),
"""

TALLY = '''
"""A made-up format of meshes: how many of each thing, and the nodes."""

import numpy as np

from intaglio.formats.format import MeshFormat
from intaglio.formats.vtu import read_vtu

def _write(mesh, path, metrics, case=None):
    np.savetxt(path, mesh.points, header=f"{mesh.cells} cells")

def _differences(mesh, path, metrics, case=None):
    if not np.allclose(np.loadtxt(path), mesh.points):
        yield "the nodes lie elsewhere"

FORMAT = MeshFormat("tallies", (".tally",), read_vtu, _write, _differences)
'''

USE_BOTH = """
import json
from pathlib import Path
import numpy as np
from intaglio.formats.registry import MESH_BY_SUFFIX, mesh_format
from intaglio.handover.parts import CHOSEN
from intaglio.handover.writing import write_parts
from intaglio.mesh.building import NO_POLYGONS, cell_mesh
from intaglio.mesh.cells import SHAPES, counts_by_shape
from intaglio.mesh.mesh import Zone
from intaglio.mesh.slices import flat_cut
from intaglio.quality.report import mesh_findings
from intaglio.quality.values import Values
from intaglio.settings.blanks import blanks_of
from intaglio.stages.case.settings import Case
from intaglio.stages.lists import lists

points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0],
                   [0.25, 0, 0.5], [0.75, 0, 0.5], [0.5, 1, 1]], float)
code = next(k for k, s in enumerate(SHAPES) if s.name == "wedged")
start = np.array([0, 7])
mesh = cell_mesh(points, np.full(1, code, np.int8), start, np.arange(7, dtype=np.int32),
                 NO_POLYGONS, (), None, (Zone("fluid"),), "mm")
values = Values(mesh)
cut = flat_cut(mesh, np.array([0.0, 0.0, 1.0]), 0.25)
path = Path("one.tally")
mesh_format(path).write(mesh, path, {})
print(json.dumps({
    "volume": float(values.measured.volume[0]),
    "angles": [float(values.measured.least_dihedral[0]),
               float(values.measured.largest_dihedral[0])],
    "faces": mesh.faces,
    "found": [f.code for f in mesh_findings(mesh, values.measured) if f.level == "error"],
    "counted": counts_by_shape(mesh.shape),
    "called": [s["label"] for s in lists()["cell_shapes"]],
    "cut": len(cut.points),
    "written": path.read_text().splitlines()[0],
    "differs": list(mesh_format(path).differences(mesh, path, {})),
    "read": ".tally" in lists()["read"], "known": ".tally" in MESH_BY_SUFFIX,
    "offered": ["tally", "mesh.tally"] in [list(c) for c in blanks_of(Case)["files"].choices],
    "part": [p.file for p in CHOSEN if p.key == "tally"],
}))
"""


def _copied(folder: Path) -> Path:
    shutil.copytree(CORE, folder / "intaglio", ignore=shutil.ignore_patterns("__pycache__"))
    return folder / "intaglio"


def _with_lines(file: Path, *changes: tuple[str, str]) -> None:
    """Put lines into a file: each change gives one more line than it replaces."""
    text = file.read_text()
    for before, after in changes:
        assert text.count(before) == 1 and after.count("\n") == before.count("\n") + 1
        text = text.replace(before, after)
    file.write_text(text)


def _printed(
    folder: Path, program: str, *arguments: str, told: Mapping[str, str] = MappingProxyType({})
) -> dict:
    """What a program prints that finds this core."""
    done = subprocess.run(
        [sys.executable, "-c", program, *arguments],
        env={**os.environ, "PYTHONPATH": str(folder), **told},
        capture_output=True, text=True, check=False, cwd=folder,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


@pytest.fixture(scope="module")
def told(tmp_path_factory) -> dict:
    """What a program finds in a core to which the stage was added by a module and a line."""
    folder = tmp_path_factory.mktemp("core")
    core = _copied(folder)
    (core / "stages/survey.py").write_text(SURVEY)
    _with_lines(
        core / "stages/registry.py",
        ("    surface,\n", "    surface,\n    survey,\n"),
        ("    case.STAGE,\n", "    case.STAGE,\n    survey.STAGE,\n"),
    )
    (folder / "part.stl").write_bytes(b"solid x\nendsolid x\n")
    return _printed(folder, USE, str(folder / "part.stl"), str(folder / "recipe.yaml"))


@pytest.fixture(scope="module")
def shaped(tmp_path_factory) -> dict:
    """The same of a core to which a shape of cells and a format were added."""
    folder = tmp_path_factory.mktemp("core")
    core = _copied(folder)
    (core / "formats/tally.py").write_text(TALLY)
    table = core / "mesh/cells.py"
    text = table.read_text()
    end = text.index(")\n\n# the same as arrays")
    table.write_text(text[:end] + WEDGED + text[end:])
    types = core / "formats/vtu.py"
    text = types.read_text()
    types.write_text(text.replace("POLYHEDRON: 42}", "POLYHEDRON: 42, 5: 42}"))
    # one cell: not worth compiling for
    return _printed(folder, USE_BOTH, told={"NUMBA_DISABLE_JIT": "1"})


@pytest.fixture(scope="module")
def meshed(tmp_path_factory) -> dict:
    """The same of a core to which a way of making the mesh was added."""
    folder = tmp_path_factory.mktemp("core")
    core = _copied(folder)
    shutil.copy(Path(made_up_way.__file__), core / "stages/volume/fan.py")
    _with_lines(
        core / "stages/volume/ways.py",
        (
            "from intaglio.stages.volume.tetrahedra import WAY as TETRAHEDRA\n",
            "from intaglio.stages.volume.fan import WAY as FAN\n"
            "from intaglio.stages.volume.tetrahedra import WAY as TETRAHEDRA\n",
        ),
        (
            "WAYS: tuple[Way, ...] = (TETRAHEDRA,)\n",
            "WAYS: tuple[Way, ...] = (TETRAHEDRA,\n    FAN,)\n",
        ),
    )
    source(box(0, 0, 0, 20, 20, 30), folder, "block")
    source(cut(box(0, 0, 0, 20, 9, 20), box(4, -1, 4, 21, 10, 21)), folder, "hook")
    return _printed(folder, USE_WAY, str(folder))


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


@pytest.mark.slow
def test_a_study_goes_through_what_a_way_needs(meshed):
    through = ["geometry", "domain", "patches", "sizing", "surface", "volume", "case"]
    assert meshed["through"] == through and meshed["no layers"] == "no-stage"


@pytest.mark.slow
def test_a_way_s_mesh_is_proved_judged_and_handed_over(meshed):
    assert meshed["cells"] == meshed["told"] == meshed["triangles"]
    assert meshed["volume"] == pytest.approx(20 * 20 * 30, rel=1e-9)
    assert meshed["errors"] == [] and meshed["no fan"] == "no-fan"
    assert meshed["files"] == ["README.txt", "case.yaml", "mesh.cgns", "mesh.vtu", "report.json"]


@pytest.mark.slow
def test_a_way_is_described_to_page_schema_and_recipe(meshed):
    assert meshed["choices"] == [
        ["tetrahedra", "tetrahedra"],
        ["fan", "a fan of tetrahedra about the middle"],
    ]
    (sentence,) = meshed["sentences"]
    assert sentence["text"] == "They meet where its nodes have their middle."
    assert meshed["schema"] == ["tetrahedra", "fan"] and meshed["written"] == "fan"


def test_a_shape_of_cells_is_measured_checked_cut_and_counted(shaped):
    # a roof over a square, as high as that is wide, and what is hipped away at one end
    assert shaped["volume"] == pytest.approx(1 / 2 - 1 / 24)
    assert shaped["faces"] == 6 and shaped["counted"] == {"wedged": 1}
    assert shaped["found"] == ["no-patch"]
    # the roof's slope is 2, the hip's over its end 1/2
    assert shaped["angles"] == pytest.approx(
        [np.degrees(np.arctan(2)), 90 + np.degrees(np.arctan(0.5))]
    )
    assert shaped["cut"] == 4 and "wedgeds" in shaped["called"]


def test_a_format_is_read_written_and_offered(shaped):
    assert shaped["known"] and shaped["read"] and shaped["offered"]
    assert shaped["part"] == ["mesh.tally"] and shaped["written"] == "# 1 cells"
    assert shaped["differs"] == []
