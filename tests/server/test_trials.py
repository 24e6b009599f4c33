"""Trials of one setting, and variants side by side."""

import pytest

from intaglio.stages.registry import STAGES
from studies.models import Job, Variant

KEYS = [stage.key for stage in STAGES if stage.key != "case"]


def _trial(study, source, *sizes):
    trials = [
        {"name": f"largest {s}", "settings": {"sizing": {"smallest": 1.5, "largest": s}}}
        for s in sizes
    ]
    return f"/api/studies/{study}/trials", {"source": source, "target": "volume", "trials": trials}


@pytest.fixture
def tried(ada, variant, work, known):
    url, asked = _trial(variant.study_id, variant.id, 4.0, 5.0)
    made = ada.post(url, asked, format="json")
    assert made.status_code == 201, made.json()
    for job in known(work, KEYS):
        assert job.state == "done", job.problem
    return [v["id"] for v in made.json()["variants"]]


def test_a_trial_makes_variants_runs_them_and_sets_them_side_by_side(ada, variant, tried):
    assert [v.name for v in Variant.objects.filter(id__in=tried)] == ["largest 4.0", "largest 5.0"]
    assert Job.objects.filter(variant_id__in=tried, state="done").count() == 2
    # one that nobody has run
    own = {"sizing": {"smallest": 1.9, "largest": 7.7}}
    Variant.objects.filter(id=variant.id).update(settings=own)
    listed = ",".join(map(str, [*tried, variant.id]))
    url = f"/api/studies/{variant.study_id}/comparison?variants={listed}&metric=volume&bars=6"
    told = ada.get(url).json()
    assert [v["condition"] for v in told["variants"]] == ["current", "current", "none"]
    rows = {r["key"]: r for r in told["settings"]}
    assert rows["sizing.largest"]["values"][:2] == [4.0, 5.0] and rows["sizing.largest"]["differs"]
    assert not rows["domain.where"]["differs"] or rows["domain.where"]["values"][2] is None
    reports = []
    for k in tried:
        stages = ada.get(f"/api/variants/{k}").data["stages"]
        reports.append(next(s["report"] for s in stages if s["stage"] == "volume"))
    figures = {r["key"]: r for r in told["figures"]}
    assert figures["cells"]["values"] == [*(r["cells"] for r in reports), None]
    worst = [r["quality"]["equiangle_skewness"]["max"] for r in reports]
    row = figures["equiangle_skewness.worst"]
    assert row["values"] == [*worst, None]
    assert row["best"] == (worst.index(min(worst)) if worst[0] != worst[1] else None)
    bars = told["histogram"]
    assert len(bars["edges"]) == 7 and bars["counts"][2] is None
    assert [sum(c) for c in bars["counts"][:2]] == [r["cells"] for r in reports]
    assert [sum(s) for s in bars["shares"][:2]] == pytest.approx([1.0, 1.0])


def test_a_trial_with_a_value_that_cannot_be_used_makes_nothing(ada, variant):
    url, asked = _trial(variant.study_id, variant.id, 4.0, -1)
    before = Variant.objects.count()
    answer = ada.post(url, asked, format="json")
    assert answer.status_code == 400 and answer.json()["blank"] == "sizing.largest"
    assert Variant.objects.count() == before and not Job.objects.exists()


def test_trials_that_are_called_like_a_variant_get_a_number(ada, variant):
    url, asked = _trial(variant.study_id, variant.id, 4.0)
    names = [ada.post(url, asked, format="json").json()["variants"][0]["name"] for _ in range(3)]
    assert names == ["largest 4.0", "largest 4.0 (2)", "largest 4.0 (3)"]


@pytest.mark.parametrize("change", [{"target": "magic"}, {"source": 987654}, {"trials": []}])
def test_trials_of_nothing_are_refused(ada, variant, change):
    url, asked = _trial(variant.study_id, variant.id, 4.0, 5.0)
    assert ada.post(url, {**asked, **change}, format="json").status_code == 400
    five = _trial(variant.study_id, variant.id, 3.0, 4.0, 5.0, 6.0, 7.0)
    assert "No more than 4" in ada.post(*five, format="json").json()["message"]


def test_a_comparison_wants_two_to_four_variants_of_the_study(ada, variant):
    url = f"/api/studies/{variant.study_id}/comparison?variants="
    own = variant.id
    for listed in ("", f"{own}", f"{own},{own}", f"{own},987654", "a,b", "1,2,3,4,5"):
        answer = ada.get(url + listed)
        assert answer.status_code == 400 and answer.json()["message"], listed


def test_only_ones_own_studies_are_compared(ben, variant):
    url, asked = _trial(variant.study_id, variant.id, 4.0)
    assert ben.post(url, asked, format="json").status_code == 404
    assert ben.get(f"/api/studies/{variant.study_id}/comparison?variants=1,2").status_code == 404
