"""Two people at one variant: nobody's change takes back another's unseen."""

import threading

import pytest
from django.contrib.auth import get_user_model
from django.db import connection

from studies.models import Edit


@pytest.fixture
def shared(study, ben):
    """Ada's variant, which Ben sees and changes too."""
    study.shares.create(user=get_user_model().objects.get(username="ben"), works=True)
    return study.variants.get()


def _set(client, variant, version, **sizes):
    return client.patch(
        f"/api/variants/{variant.id}/settings",
        {"sizing": sizes},
        format="json",
        headers={"If-Match": f'"{version}"'},
    )


def _largest(variant):
    variant.refresh_from_db()
    return variant.settings["sizing"]["largest"]


def test_a_write_from_an_old_version_is_refused_with_what_changed(ada, ben, shared):
    version = ada.get(f"/api/variants/{shared.id}").data["version"]
    assert _set(ben, shared, version, largest=5.0).data["version"] == version + 1
    answer = _set(ada, shared, version, largest=6.0)
    assert answer.status_code == 409 and answer.data["code"] == "stale"
    assert answer.data["stale"] == {
        "version": version + 1,
        "blanks": ["sizing.largest"],
        "by": ["ben"],
    }
    assert "ben" in answer.data["message"] and _largest(shared) == 5.0
    # knowing of it, it can be set all the same
    assert _set(ada, shared, version + 1, largest=6.0).status_code == 200
    assert _largest(shared) == 6.0


def test_a_write_that_tells_no_version_goes_on_top(ada, ben, shared):
    _set(ben, shared, 0, largest=5.0)
    address = f"/api/variants/{shared.id}/settings"
    assert ada.patch(address, {"sizing": {"largest": 7.0}}, format="json").status_code == 200
    assert Edit.objects.filter(variant=shared).count() == 2


def test_undo_takes_back_nothing_unseen(ada, ben, shared):
    _set(ada, shared, 0, largest=5.0)
    _set(ben, shared, 1, smallest=2.5)
    address, old = f"/api/variants/{shared.id}/undo", {"If-Match": '"1"'}
    answer = ada.post(address, headers=old)
    assert answer.status_code == 409 and answer.data["stale"]["blanks"] == ["sizing.smallest"]
    assert ada.post(address, headers={"If-Match": '"2"'}).data["version"] == 3
    # an undo is a change like any other
    assert _set(ben, shared, 2, smallest=2.0).data["stale"]["by"] == ["ada"]


def test_what_is_long_past_may_be_anything(ada, ben, shared):
    for number, size in enumerate((5.0, 6.0, 7.0)):
        _set(ben, shared, number, largest=size)
    Edit.objects.filter(variant=shared, version__lt=3).delete()
    answer = _set(ada, shared, 0, smallest=2.0)
    assert set(answer.data["stale"]["blanks"]) == {"sizing.largest", "sizing.smallest"}


@pytest.mark.parametrize("told", ["seven", '"-1"', '"²"', '"' + "9" * 40 + '"', ""])
def test_a_version_that_is_none_is_refused(ada, variant, told):
    answer = ada.patch(
        f"/api/variants/{variant.id}/settings",
        {"sizing": {"largest": 5.0}},
        format="json",
        headers={"If-Match": told},
    )
    assert answer.status_code == 400 and "If-Match" in answer.data["message"]


@pytest.mark.django_db(transaction=True)
def test_of_two_writes_at_once_one_is_refused(ada, ben, shared):
    """Twelve rounds of two writes from the same version: one of each pair is told of the other."""
    for number in range(12):
        start, codes = threading.Barrier(2), []

        def write(client, size, number=number, start=start, codes=codes):
            start.wait()
            codes.append(_set(client, shared, number, largest=size).status_code)
            connection.close()

        sizes = ((ada, 4.5 + number), (ben, 5.0 + number))
        both = [threading.Thread(target=write, args=of) for of in sizes]
        for thread in both:
            thread.start()
        for thread in both:
            thread.join()
        assert sorted(codes) == [200, 409]
    shared.refresh_from_db()
    assert shared.version == 12 and shared.changes.count() == 12


def test_views_of_a_study_are_not_lost_either(ada, ben, shared):
    url = f"/api/studies/{shared.study_id}"
    named = [{"name": n, "stage": "volume", "pose": {}, "look": {}} for n in ("mine", "theirs")]
    version = {"If-Match": f'"{ada.get(url).data["version"]}"'}
    assert ben.patch(url, {"views": named[1:]}, format="json", headers=version).status_code == 200
    answer = ada.patch(url, {"views": named[:1]}, format="json", headers=version)
    assert answer.status_code == 409 and answer.data["stale"]["version"] == 1
    assert [v["name"] for v in ada.get(url).data["views"]] == ["theirs"]
