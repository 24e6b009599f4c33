"""What nothing reaches any more is removed after a while; what is typed leaves nothing behind."""

from datetime import timedelta

import pytest
from django.utils import timezone

from studies import runner, sweeping
from studies.models import Product, Variant
from studies.sweeping import reachable, sweep

LARGER = {"sizing": {"largest": 4.5}}


def _aged() -> None:
    Product.objects.update(created=timezone.now() - timedelta(days=30))


def _sizing() -> set[str]:
    return set(Product.objects.filter(stage="sizing").values_list("key", flat=True))


def _run(ada, variant, work, known, **asked) -> None:
    body = {"target": "sizing", **asked}
    assert ada.post(f"/api/variants/{variant.id}/runs", body, format="json").status_code == 202
    (job,) = known(work)
    assert job.state == "done", job.problem


@pytest.fixture
def sized(ada, variant, work, known):
    """A variant whose sizes are laid out, twice, with a change between."""
    _run(ada, variant, work, known)
    first = _sizing()
    ada.patch(f"/api/variants/{variant.id}/settings", LARGER, format="json")
    _run(ada, variant, work, known)
    return first, _sizing() - first


def test_what_undo_brings_back_is_kept(sized, variant):
    first, second = sized
    _aged()
    assert first | second <= reachable()
    assert sweep() == 0 and _sizing() == first | second


def test_what_no_state_reaches_goes_after_a_while(sized, variant):
    _, second = sized
    variant.changes.all().delete()
    assert sweep() == 0, "too young to go"
    _aged()
    assert sweep() == 1
    assert _sizing() == second
    assert Product.objects.filter(stage="source").exists()
    assert Product.objects.filter(stage__in=["geometry", "domain", "patches"]).count() == 3


def test_what_comes_to_be_shown_while_it_is_looked_for_stays(sized, variant, monkeypatch):
    first, second = sized
    variant.changes.all().delete()
    _aged()
    look = sweeping.reachable

    def shown_meanwhile():
        found = look()
        Variant.objects.update(shown={"sizing": first.copy().pop()})
        return found

    monkeypatch.setattr(sweeping, "reachable", shown_meanwhile)
    assert sweep() == 0 and _sizing() == first | second


def test_a_job_whose_result_is_removed_before_it_is_shown_fails_in_words(
    sized, ada, variant, work, monkeypatch
):
    variant.refresh_from_db()
    shown = variant.shown
    ada.patch(f"/api/variants/{variant.id}/settings", {"sizing": {"largest": 4.6}}, format="json")
    finish = runner._finish

    def late(job, attempt, message):
        Product.objects.filter(key=message["keys"]["sizing"]).delete()
        finish(job, attempt, message)

    monkeypatch.setattr(runner, "_finish", late)
    ada.post(f"/api/variants/{variant.id}/runs", {"target": "sizing"}, format="json")
    (job,) = work()
    assert job.state == "failed" and job.problem["code"] == "removed"
    variant.refresh_from_db()
    assert variant.shown == shown


def test_live_sizing_leaves_one_result_and_a_run_keeps_it(ada, variant, work, known):
    _run(ada, variant, work, known, live=True)
    first = _sizing()
    ada.patch(f"/api/variants/{variant.id}/settings", LARGER, format="json")
    _run(ada, variant, work, known, live=True)
    second = _sizing()
    assert len(second) == 1 and second != first
    assert Product.objects.get(key=second.pop()).live
    assert not Product.objects.filter(stage="domain").get().live
    # asked for in earnest, it is as any other
    _run(ada, variant, work, known)
    assert not Product.objects.get(stage="sizing").live


def test_a_live_result_that_another_variant_shows_stays(ada, variant, work, known):
    _run(ada, variant, work, known, live=True)
    first = _sizing()
    answer = ada.post(
        f"/api/studies/{variant.study_id}/variants",
        {"name": "second", "source": variant.id},
        format="json",
    )
    assert answer.status_code == 201, answer.content
    ada.patch(f"/api/variants/{variant.id}/settings", LARGER, format="json")
    _run(ada, variant, work, known, live=True)
    assert first < _sizing()


def test_a_live_result_that_is_not_shown_goes_within_the_hour(ada, variant, work, known):
    _run(ada, variant, work, known, live=True)
    _aged()
    assert sweep() == 0, "it is what the variant shows"
    variant.refresh_from_db()
    variant.shown = {}
    variant.save()
    Product.objects.update(created=timezone.now() - timedelta(hours=2))
    assert sweep() == 1 and _sizing() == set()
