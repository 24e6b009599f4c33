"""Wrong input is refused in words: whatever the value, never a fault, and nothing changes."""

import json

import pytest
from django.core.exceptions import SuspiciousOperation, TooManyFieldsSent, TooManyFilesSent
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import DataError, OperationalError

from studies.models import Job, Study
from studies.problems import handle
from studies.store import load_bytes

DEEP = "[" * 100_000 + "]" * 100_000


def patch(client, variant, body):
    at = f"/api/variants/{variant.id}/settings"
    if isinstance(body, str):
        return client.patch(at, data=body, content_type="application/json")
    return client.patch(at, body, format="json")


WRONG = {
    "a root of a negative number": {"sizing": {"largest": "(-8)**0.5"}},
    "a product beyond all floats": {"sizing": {"largest": f"1{'0' * 90}**4"}},
    "400 digits": '{"sizing": {"largest": ' + "9" * 400 + "}}",
    "no number": '{"sizing": {"largest": NaN}}',
    "too large a number": {"sizing": {"largest": 1e200}},
    "a NUL": {"patches": {"patches": [{"name": "a\x00", "kind": "wall", "faces": "rest"}]}},
    "half a pair": '{"patches": {"patches": [{"name": "\\ud800", "kind": "wall"}]}}',
    "a list for a word": {"domain": {"where": ["inside"]}},
    "a word for a list": {"patches": {"patches": "all"}},
    "an object for a number": {"sizing": {"largest": {"mm": 3}}},
    "too deep": DEEP,
    "too deep, in a setting": '{"sizing": {"regions": ' + "[" * 30 + "]" * 30 + "}}",
    "no JSON": "{",
    "a number alone": "3",
    "too many rows": {"sizing": {"regions": [{"name": f"r{k}"} for k in range(20_000)]}},
    "a stage as a list": {"sizing": [1]},
}  # fmt: skip


@pytest.mark.parametrize("body", WRONG.values(), ids=WRONG)
def test_a_wrong_setting_is_refused_and_nothing_changes(ada, variant, body):
    before = variant.settings
    answer = patch(ada, variant, body)
    assert answer.status_code == 400, answer.data
    assert answer.data["message"]
    variant.refresh_from_db()
    assert variant.settings == before


def test_a_body_beyond_the_limit_is_refused(ada, variant, settings):
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 1000
    answer = patch(ada, variant, {"patches": {"patches": "x" * 2000}})
    assert answer.status_code == 413 and "MiB" in answer.data["message"]


FAR = ([1e200, 0, 0], [0, 0, float("inf")], ["far", 0, 0], [0, 0], "near")


@pytest.mark.parametrize("at", FAR)
def test_a_ruler_far_out_is_refused(ada, variant, work, known, at):
    def run():
        ada.post(f"/api/variants/{variant.id}/runs", {"target": "geometry"}, format="json")
        work()

    known(run)
    body = json.dumps({"first": {"face": 0, "at": at}})
    where = f"/api/variants/{variant.id}/stages/geometry/measure"
    answer = ada.post(where, data=body, content_type="application/json")
    assert answer.status_code == 400 and answer.data["message"]


@pytest.mark.parametrize(
    ("error", "code", "number"),
    [
        (OperationalError("terminating connection"), "away", 503),
        (DataError("integer out of range"), "unfit", 400),
        (RecursionError(), "unfit", 400),
        (TooManyFilesSent(), "too-many", 413),
        (TooManyFieldsSent(), "too-many", 413),
        (SuspiciousOperation(), "unfit", 400),
        (RuntimeError("a fault"), "server", 500),
    ],
)
def test_errors_have_words_whatever_they_are(error, code, number):
    answer = handle(error, {"view": object()})
    assert answer.status_code == number and answer.data["code"] == code and answer.data["message"]


def test_more_files_or_fields_than_are_taken_are_refused_in_words(ada, study, settings):
    files = [SimpleUploadedFile(f"{k}.stl", b"solid") for k in range(201)]
    fields = {f"field_{k}": "1" for k in range(1001)}
    for at in ("/api/studies", f"/api/studies/{study.id}/files"):
        for body in ({"file": files}, fields):
            answer = ada.post(at, body)
            assert answer.status_code == 413 and "zip" in answer.data["message"]
    assert Job.objects.count() == 0


@pytest.mark.parametrize("kind", ["patches", "faces"])
def test_names_in_a_row_are_many_but_patterns_are_few(ada, variant, kind):
    def rows(names):
        if kind == "faces":
            return {"patches": {"patches": [{"name": "w", "kind": "wall", "faces": names}]}}
        return {"layers": {"layers": [{"patches": names, "count": 3, "growth": 1.2, "last": 0.5}]}}

    few = [f"*{k}" for k in range(100)]
    assert patch(ada, variant, rows([*few, *(f"wall_{k}" for k in range(900))])).status_code == 200
    answer = patch(ada, variant, rows([*few, "*a"]))
    assert answer.status_code == 400 and "100 names with a *" in answer.data["message"]


def test_a_part_that_is_scaled_out_of_all_numbers_stays_a_study(ada, variant, work):
    rows = [{"do": "scale", "factor": 1e9}] * 3
    answer = patch(ada, variant, {"geometry": {"repairs": rows}})
    assert answer.status_code == 200, answer.data
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "geometry"}, format="json")
    (job,) = work()
    assert job.state == Job.State.FAILED and job.problem["code"] == "too-far-out"
    assert ada.get(f"/api/variants/{variant.id}").status_code == 200
    assert patch(ada, variant, {"geometry": {"repairs": []}}).status_code == 200


def test_files_that_are_added_at_once_are_all_kept(ada, study, pipe_file, tmp_path):
    """Three at once: each job begins with what the one before is to bring."""
    at = f"/api/studies/{study.id}/files"
    for name in ("one.step", "two.step", "three.step"):
        upload = SimpleUploadedFile(name, pipe_file.data)
        assert ada.post(at, {"file": upload}).status_code == 202
    last = Job.objects.filter(study=study, target="geometry").latest("created")
    from intaglio.parts.source import Source

    held = Source(last.file_name, load_bytes(last.source_id)).files()
    assert [name for name, _ in held] == ["pipe.step", "one.step", "two.step", "three.step"]
    assert Study.objects.get(id=study.id).source_id == study.source_id
