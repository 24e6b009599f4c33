"""Taking in files, the shelf, variants, settings with undo."""

import pytest
from django.core.cache import cache
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from intaglio.stages.registry import BY_KEY
from studies.models import Job, Product, Study


def _upload(client, name, data):
    return client.post("/api/studies", {"file": SimpleUploadedFile(name, data)})


def test_a_dropped_file_becomes_a_study(ada, pipe_file, work):
    answer = _upload(ada, "Pipe no. 4.step", pipe_file.data)
    assert answer.status_code == 202 and answer.data["state"] == "waiting"
    assert Study.objects.count() == 0  # nothing before it has been read
    (job,) = work()
    assert job.state == "done", job.problem
    (study,) = ada.get("/api/studies").data
    assert (study["name"], study["furthest"]) == ("Pipe no. 4", "geometry")
    picture = ada.get(study["picture"])
    assert picture.status_code == 200 and picture.content[:4] == b"\x89PNG"


@pytest.mark.parametrize(
    "data, words",
    [
        (b"hello", "not a STEP file"),
        (b"ISO-10303-21;\nHEADER;", "cut short"),
        (b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n", "holds no"),
    ],
)
def test_a_bad_file_changes_nothing(ada, work, data, words):
    assert _upload(ada, "odd.step", data).status_code == 202
    (job,) = work()
    assert job.state == "failed"
    assert "odd.step" in job.problem["message"] and words in job.problem["message"]
    assert Study.objects.count() == 0


def test_an_empty_or_too_large_file_is_refused_at_once(ada, settings):
    empty = _upload(ada, "void.step", b"")
    assert empty.status_code == 400 and "void.step is empty" in empty.data["message"]
    settings.UPLOAD_BYTES = 10
    large = _upload(ada, "huge.step", b"x" * 11)
    assert large.status_code == 400 and "limit" in large.data["message"]
    assert Job.objects.count() == Study.objects.count() == 0
    assert ada.post("/api/studies", {}).status_code == 400


def test_rename_archive_duplicate(ada, study, variant):
    answer = ada.patch(f"/api/studies/{study.id}", {"name": "inlet pipe"}, format="json")
    assert answer.data["name"] == "inlet pipe"
    assert ada.patch(f"/api/studies/{study.id}", {"archived": True}, format="json").data["archived"]
    copy = ada.post(f"/api/studies/{study.id}/duplicate").data
    assert copy["name"] == "inlet pipe copy" and copy["id"] != study.id
    assert Study.objects.get(id=copy["id"]).variants.get().settings == variant.settings


def test_variants_branch_and_share(ada, study, variant, work):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "sizing"}, format="json")
    work()
    before = Product.objects.count()
    made = ada.post(
        f"/api/studies/{study.id}/variants", {"name": "fine", "source": variant.id}, format="json"
    )
    assert made.status_code == 201
    stages = ada.get(f"/api/variants/{made.data['id']}").data["stages"]
    assert [s["condition"] for s in stages[:2]] == ["current", "current"]
    assert Product.objects.count() == before
    again = ada.post(
        f"/api/studies/{study.id}/variants", {"name": "fine", "source": variant.id}, format="json"
    )
    assert again.status_code == 400 and "fine" in again.data["message"]


def _settings(client, variant, change):
    return client.patch(f"/api/variants/{variant.id}/settings", change, format="json")


def _stage(data, key):
    return next(s for s in data["stages"] if s["stage"] == key)


def test_settings_go_out_of_date_and_come_back(ada, variant, work):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "case"}, format="json")
    (job,) = work()
    assert job.state == "done", job.problem
    data = _settings(ada, variant, {"sizing": {"largest": 5.0}}).data
    assert [s["condition"] for s in data["stages"]] == [
        "current", "current", "current", "outdated", "outdated", "outdated", "outdated",
        "outdated",
    ]  # fmt: skip
    assert _stage(data, "volume")["report"]["cells"] > 0  # the old result is still shown
    assert _stage(data, "sizing")["changed"] == ["smallest", "largest"]
    data = ada.post(f"/api/variants/{variant.id}/undo").data
    assert {s["condition"] for s in data["stages"]} == {"current"}
    data = ada.post(f"/api/variants/{variant.id}/redo").data
    assert _stage(data, "sizing")["settings"]["largest"] == 5.0
    assert not data["can_redo"] and data["can_undo"]
    data = _settings(ada, variant, {"sizing": {"largest": None, "smallest": None}}).data
    assert _stage(data, "sizing")["changed"] == []


BAD_SETTINGS = [
    ({"sizing": {"largest": -1}}, "sizing.largest"),
    ({"sizing": {"largest": "wide"}}, "sizing.largest"),
    ({"sizing": {"smallest": 9.0}}, "sizing.smallest"),
    ({"sizing": {"growth": 1.0}}, "sizing.growth"),
    ({"domain": {"pin": [1, 2]}}, "domain.pin"),
    ({"domain": {"where": "elsewhere"}}, "domain.where"),
    ({"patches": {"patches": [{"name": "a", "kind": "magic"}]}}, "patches.patches"),
    ({"case": {"iterations": 0}}, "case.iterations"),
    ({"case": {"conditions": [{"patches": ["in"], "is": "magic"}]}}, "case.conditions"),
]


def test_a_bad_setting_is_refused_and_nothing_changes(ada, variant, work):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "domain"}, format="json")
    work()
    for change, blank in BAD_SETTINGS:
        answer = _settings(ada, variant, change)
        assert answer.status_code == 400
        assert answer.data["blank"] == blank and answer.data["message"]
        variant.refresh_from_db()
        assert variant.settings == {"sizing": {"smallest": 3.0, "largest": 4.0}}
        assert not variant.changes.exists()


@pytest.mark.parametrize("change", [[], {"magic": {}}, {"sizing": 3}, {"sizing": {"colour": 1}}])
def test_settings_of_no_form_are_refused(ada, variant, change):
    assert _settings(ada, variant, change).status_code == 400


def test_nothing_to_undo(ada, variant):
    answer = ada.post(f"/api/variants/{variant.id}/undo")
    assert answer.status_code == 409 and "undo" in answer.data["message"]


def test_an_expression_is_worked_out(ada, variant):
    _settings(ada, variant, {"sizing": {"largest": "= 3 * 2"}})
    variant.refresh_from_db()
    assert variant.settings["sizing"]["largest"] == 6.0


def test_seconds_forecast_follow_this_machines_last_runs(ada, variant, work):
    address = f"/api/variants/{variant.id}"
    ada.post(f"{address}/runs", {"target": "sizing"}, format="json")
    work()

    def seconds() -> float:
        cache.clear()
        stages = ada.get(address).data["stages"]
        return next(s for s in stages if s["stage"] == "sizing")["report"]["forecast"]["seconds"]

    usual = seconds()
    for k, times in enumerate((3.0, 5.0, 4.0)):
        report = {"cells": 1_000_000}
        took = times * BY_KEY["volume"].usual(report)
        report["step"] = {"name": "volume", "seconds": took}
        Product.objects.create(
            key=f"{k}" * 64, stage="volume", report=report, sha256="0" * 64, size=0
        )
    told = next(s for s in ada.get(address).data["stages"] if s["stage"] == "sizing")["report"]
    filling = BY_KEY["volume"].usual(told["forecast"])
    assert seconds() == pytest.approx(usual + 3 * filling)


def test_a_list_of_studies_is_read_at_once_and_without_reports(ada, study, variant, work):
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "sizing"}, format="json")
    work()
    with CaptureQueriesContext(connection) as one:
        (row,) = ada.get("/api/studies").data
    for number in range(3):
        ada.post(f"/api/studies/{study.id}/duplicate", {"name": f"again {number}"}, format="json")
    with CaptureQueriesContext(connection) as four:
        rows = ada.get("/api/studies").data
    assert len(rows) == 4 and all(r["furthest"] == row["furthest"] == "sizing" for r in rows)
    assert len(four) == len(one)
    assert not any('"report",' in query["sql"] for query in four)


def test_views_are_kept_by_name_and_go_with_a_copy(ada, ben, study):
    url = f"/api/studies/{study.id}"
    pose = {"position": [1, 2, 3], "zoom": 2.0}
    view = {"name": "throat", "stage": "volume", "pose": pose, "look": {"metric": "warp"}}
    answer = ada.patch(url, {"views": [view]}, format="json")
    assert answer.status_code == 200 and answer.json()["views"] == [view]
    assert ada.get(url).json()["views"] == [view]
    copy = ada.post(f"{url}/duplicate").json()
    assert copy["views"] == [view]
    assert ada.patch(url, {"views": []}, format="json").json()["views"] == []
    assert ben.patch(url, {"views": [view]}, format="json").status_code == 404


def test_views_that_are_none_are_refused(ada, study):
    url = f"/api/studies/{study.id}"
    good = {"name": "a", "stage": "volume", "pose": {}, "look": {}}
    for views in (
        "none", [{}], [{**good, "name": ""}], [{**good, "name": "x" * 61}], [{**good, "pose": 3}],
        [good] * 41, [{**good, "look": {"much": "x" * 200_000}}],
    ):  # fmt: skip
        assert ada.patch(url, {"views": views}, format="json").status_code == 400
    assert ada.get(url).json()["views"] == []
