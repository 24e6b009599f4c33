"""Ownership on every endpoint: what is not yours does not exist for you."""

import re
import uuid

import pytest
from django.contrib.auth import get_user_model
from django.urls import get_resolver
from rest_framework.test import APIClient

from studies.models import Job

OPEN = {"session", "schema", "health", "join/<str:secret>"}


def _addresses(study, variant, job):
    """Every address of the API with ada's things in it."""
    out = []
    parts = [p for p in get_resolver().url_patterns if str(p.pattern) == "api/"]
    for pattern in [p for part in parts for p in part.url_patterns]:
        route = str(pattern.pattern)
        if route in OPEN:
            continue
        path = (
            route.replace("<int:study_id>", str(study.id))
            .replace("<int:variant_id>", str(variant.id))
            .replace("<uuid:job_id>", str(job.id))
            .replace("<str:stage>", "geometry")
            .replace("<uuid:number>", str(uuid.uuid4()))
        )
        path = re.sub(r"<int:(share|account|invitation)_id>", "1", path)
        out.append((path, "<" in route))
    return out


@pytest.fixture
def job(study, variant):
    return Job.objects.create(
        owner=study.owner, study=study, variant=variant, source=study.source, target="geometry"
    )


METHODS = ("get", "post", "patch", "put", "delete")


def test_nothing_without_signing_in(study, variant, job):
    stranger = APIClient()
    for path, _ in _addresses(study, variant, job):
        for method in METHODS:
            answer = getattr(stranger, method)(f"/api/{path}")
            assert answer.status_code in (403, 405), f"{method} {path}"


def test_anothers_things_do_not_exist(ben, study, variant, job):
    for path, personal in _addresses(study, variant, job):
        if not personal:
            continue
        for method in METHODS:
            body = {"target": "geometry", "name": "mine", "source": variant.id}
            answer = getattr(ben, method)(f"/api/{path}", body, format="json")
            # accounts and invitations are for their keepers alone
            refused = (403, 405) if path.startswith(("accounts/", "invitations/")) else (404, 405)
            assert answer.status_code in refused, f"{method} {path}: {answer.status_code}"
    assert ben.get("/api/studies").data == []
    assert ben.get("/api/jobs").data == []
    assert Job.objects.count() == 1


def test_a_shared_study_is_seen(ben, study, variant):
    study.shares.create(user=get_user_model().objects.get(username="ben"), works=True)
    assert [s["name"] for s in ben.get("/api/studies").data] == ["pipe"]
    assert ben.get(f"/api/variants/{variant.id}").status_code == 200


def test_signing_in_and_out(ada):
    client = APIClient(enforce_csrf_checks=False)
    wrong = client.post("/api/session", {"username": "ada", "password": "no"}, format="json")
    assert wrong.status_code == 400 and "password" in wrong.data["message"]
    right = {"username": "ada", "password": "quiet-water"}
    assert client.post("/api/session", right, format="json").data["username"] == "ada"
    assert client.get("/api/studies").status_code == 200
    assert client.delete("/api/session").data["username"] is None
    assert client.get("/api/studies").status_code == 403


def test_a_foreign_page_cannot_post(ada):
    client = APIClient(enforce_csrf_checks=True)
    client.force_login(get_user_model().objects.get(username="ada"))
    assert client.post("/api/studies/1/duplicate").status_code == 403


def test_the_committed_schema_is_current(tmp_path):
    from pathlib import Path

    from django.core.management import call_command

    call_command("spectacular", file=str(tmp_path / "now.yaml"))
    kept = Path(__file__).parents[2] / "web/openapi.yaml"
    assert (tmp_path / "now.yaml").read_text() == kept.read_text(), "run `make types`"
