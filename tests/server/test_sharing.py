"""A study shown to others: to look at, or to work on; and taken back."""

import pytest
from django.urls import get_resolver

from accounts.models import Event
from studies.api.access import LOOK
from studies.models import Job, Share

# what changes nothing of a study though it is no GET: questions with long answers, and a copy
LOOKING = (
    "studies/<int:study_id>/duplicate",
    "variants/<int:variant_id>/case/back",
    "variants/<int:variant_id>/sizes",
    "variants/<int:variant_id>/stages/<str:stage>/measure",
    "variants/<int:variant_id>/stages/<str:stage>/select",
)


def _share(client, study, name, works=False):
    asked = {"name": name, "works": works}
    return client.post(f"/api/studies/{study.id}/shares", asked, format="json")


def _set(client, variant, size):
    address = f"/api/variants/{variant.id}/settings"
    return client.patch(address, {"sizing": {"largest": size}}, format="json").status_code


def test_a_study_is_shown_changed_and_taken_back(ada, ben, study, variant):
    assert _set(ben, variant, 5.0) == 404
    row = _share(ada, study, "BEN").json()[0]
    assert row["name"] == "ben" and not row["works"]
    assert ben.get("/api/studies").json()[0]["role"] == "look"
    assert ben.get(f"/api/variants/{variant.id}").status_code == 200
    assert _set(ben, variant, 5.0) == 403
    assert _share(ada, study, "ben", works=True).json()[0]["works"]
    assert Share.objects.count() == 1 and _set(ben, variant, 5.0) == 200
    left = ada.delete(f"/api/studies/{study.id}/shares/{row['id']}")
    assert left.json() == [] and ben.get("/api/studies").json() == []
    assert ben.get(f"/api/variants/{variant.id}").status_code == 404
    assert _set(ben, variant, 6.0) == 404
    kinds = list(Event.objects.order_by("id").values_list("kind", flat=True))
    assert kinds == ["shared", "shared", "unshared"]


def test_who_only_looks_changes_nothing(ada, ben, study, variant):
    """Every address with every method that may change something."""
    _share(ada, study, "ben")
    job = Job.objects.create(
        owner=study.owner, study=study, variant=variant, source=study.source, target="geometry"
    )
    parts = [p for p in get_resolver().url_patterns if str(p.pattern) == "api/"]
    asked = 0
    for pattern in [p for part in parts for p in part.url_patterns]:
        route = str(pattern.pattern)
        if not route.startswith(("studies/", "variants/", "jobs/")) or route in LOOKING:
            continue
        path = (
            route.replace("<int:study_id>", str(study.id))
            .replace("<int:variant_id>", str(variant.id))
            .replace("<uuid:job_id>", str(job.id))
            .replace("<str:stage>", "geometry")
            .replace("<int:share_id>", "0")
        )
        for method in ("post", "patch", "delete"):
            body = {"target": "geometry", "name": "mine", "source": variant.id}
            answer = getattr(ben, method)(f"/api/{path}", body, format="json")
            # a deleted study is sought among one's own, and there is no share number 0
            refused = (403, 404, 405) if path.endswith(("deleted", "shares/0")) else (403, 405)
            assert answer.status_code in refused, f"{method} {path}: {answer.status_code}"
            asked += answer.status_code == 403
    assert asked > 12
    variant.refresh_from_db()
    job.refresh_from_db()
    assert variant.version == 0 and study.variants.count() == 1 and not job.cancel_asked
    assert "Duplicate" in ben.post(f"/api/variants/{variant.id}/undo").data["message"]
    copy = ben.post(f"/api/studies/{study.id}/duplicate").json()
    assert copy["role"] == "own" and copy["owner"] == "ben"


def test_those_who_work_may_not_dispose(ada, ben, study):
    _share(ada, study, "ben", works=True)
    url = f"/api/studies/{study.id}"
    assert ben.patch(url, {"name": "ours"}, format="json").json()["name"] == "ours"
    assert ben.patch(url, {"archived": True}, format="json").status_code == 403
    assert ben.delete(url).status_code == 403
    assert _share(ben, study, "ada").status_code == 403
    study.refresh_from_db()
    assert study.deleted is None and not study.archived


def test_one_leaves_a_study_of_another(ada, ben, study):
    number = _share(ada, study, "ben").json()[0]["id"]
    assert ben.delete(f"/api/studies/{study.id}/shares/{number}").status_code == 200
    assert ben.get(f"/api/studies/{study.id}").status_code == 404


@pytest.mark.parametrize("name", ["nobody", "ada", "", "x" * 200, "a\0b"])
def test_a_share_with_nobody_is_refused(ada, study, name):
    answer = _share(ada, study, name)
    assert answer.status_code == 400 and answer.data["message"]
    assert not Share.objects.exists()


def test_jobs_of_a_shared_study_are_seen_and_cancelled(ada, ben, study, variant, settings):
    mine = ada.post(f"/api/variants/{variant.id}/runs", {"target": "domain"}, format="json").json()
    assert ben.get("/api/jobs").json() == []
    _share(ada, study, "ben")
    assert [j["id"] for j in ben.get("/api/jobs").json()] == [mine["id"]]
    assert ben.get(f"/api/jobs/{mine['id']}").status_code == 200
    assert ben.post(f"/api/jobs/{mine['id']}/cancel").status_code == 403
    _share(ada, study, "ben", works=True)
    assert ben.post(f"/api/jobs/{mine['id']}/cancel").json()["state"] == "cancelled"
    theirs = ben.post(f"/api/variants/{variant.id}/runs", {"target": "domain"}, format="json")
    assert theirs.json()["id"] in {j["id"] for j in ada.get("/api/jobs").json()}


@pytest.mark.parametrize("how", ["taken back", "left", "to look"])
def test_with_a_share_go_the_jobs_and_the_sight_of_them(ada, ben, study, variant, how):
    number = _share(ada, study, "ben", works=True).json()[0]["id"]
    theirs = ben.post(f"/api/variants/{variant.id}/runs", {"target": "domain"}, format="json")
    mine = Job.objects.create(owner=study.owner, study=study, variant=variant, target="geometry")
    at = f"/api/jobs/{theirs.json()['id']}"
    if how == "to look":
        assert _share(ada, study, "ben").status_code == 201
    else:
        who = ada if how == "taken back" else ben
        assert who.delete(f"/api/studies/{study.id}/shares/{number}").status_code == 200
    assert ada.get(at).json()["state"] == "cancelled"
    assert ada.get(f"/api/jobs/{mine.id}").json()["state"] == "waiting"
    sees = how == "to look"
    assert ben.get(at).status_code == (200 if sees else 404)
    assert len(ben.get("/api/jobs").json()) == (2 if sees else 0)


@pytest.mark.django_db(transaction=True)
def test_all_who_see_a_study_are_told_of_its_jobs(ada, ben, study, variant):
    from django.db import connection

    _share(ada, study, "ben")
    with connection.cursor() as cursor:
        cursor.execute("LISTEN intaglio_jobs")
        Job.objects.create(owner=study.owner, study=study, variant=variant, target="geometry")
        told = {n.payload for n in connection.connection.notifies(timeout=60, stop_after=2)}
        cursor.execute("UNLISTEN intaglio_jobs")
    ids = {str(study.owner_id), str(Share.objects.get().user_id)}
    assert told == ids and LOOK == "look"
