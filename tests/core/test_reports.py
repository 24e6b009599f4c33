"""What the steps tell is what the reports' types say, for CAD and for facets."""

import json

import pytest
from pydantic import TypeAdapter

from intaglio.cad.part import Part
from intaglio.parts.source import Source
from intaglio.parts.writing import geometry_bytes
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.registry import STAGES
from tests.core.shapes import pipe, source

SETTINGS = {"sizing": {"smallest": 2.0, "largest": 4.0}}


@pytest.fixture(scope="module", params=["cad", "facets"])
def reports(request, tmp_path_factory):
    part = source(pipe(), tmp_path_factory.mktemp("reports"))
    if request.param == "facets":
        data = geometry_bytes(Part(pipe(), "mm", ("pipe",)), ".stl", "pipe", 5e-4)
        part = Source("pipe.stl", data)
    states = run_to("case", part, "pipe", SETTINGS, MemoryStore())
    # as they are stored and read again
    return {s.stage: json.loads(json.dumps(s.report)) for s in states}


@pytest.mark.parametrize("stage", STAGES, ids=lambda s: s.key)
def test_a_report_is_of_its_type(reports, stage):
    told = TypeAdapter(stage.report).validate_python(reports[stage.key])
    # the validator keeps only what the type knows, so nothing may be missing after it
    assert told == reports[stage.key]


@pytest.mark.parametrize("stage", STAGES, ids=lambda s: s.key)
def test_a_report_without_one_of_its_rows_is_refused(reports, stage):
    required = stage.report.__required_keys__
    assert "findings" in required
    for key in required:
        short = {k: v for k, v in reports[stage.key].items() if k != key}
        with pytest.raises(ValueError, match=key):
            TypeAdapter(stage.report).validate_python(short)


def test_every_report_tells_how_long_its_step_took(reports):
    for key, report in reports.items():
        assert report["step"]["name"] == key
        assert report["step"]["seconds"] >= 0 and report["step"]["peak_mb"] > 0
