"""What replies say to the browser, and what a page of someone else cannot do."""

import os
import subprocess
import sys
from pathlib import Path

import pytest
from django.contrib.auth import get_user_model
from rest_framework.test import APIClient

ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("at", ["/", "/study/1", "/api/session", "/api/studies", "/api/nothing"])
def test_nothing_inline_runs_and_nobody_frames_it(ada, at):
    answer = ada.get(at)
    policy = answer.headers["Content-Security-Policy"]
    rules = dict(rule.strip().split(" ", 1) for rule in policy.split(";"))
    assert rules["script-src"] == "'self'" and rules["frame-ancestors"] == "'none'"
    assert "unsafe" not in policy and rules["object-src"] == "'none'"
    assert answer.headers["X-Frame-Options"] == "DENY"
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    if at.startswith("/api/"):
        assert answer.headers["Cache-Control"] == "no-store"


def test_a_report_runs_nothing(ada, variant, work, known):
    def run():
        ada.post(f"/api/variants/{variant.id}/runs", {"target": "geometry"}, format="json")
        work()

    known(run)
    answer = ada.get(f"/api/variants/{variant.id}/report")
    policy = answer.headers["Content-Security-Policy"]
    assert answer.status_code == 200 and "default-src 'none'" in policy
    assert "script-src" not in policy and b"<script" not in b"".join(answer)


def test_signing_in_takes_the_page_s_own_token(db):
    get_user_model().objects.create_user("ada", password="quiet-water")
    page = APIClient(enforce_csrf_checks=True)
    words = {"username": "ada", "password": "quiet-water"}
    assert page.post("/api/session", words, format="json").status_code == 403
    page.get("/api/session")
    token = page.cookies["csrftoken"].value
    answer = page.post("/api/session", words, format="json", HTTP_X_CSRFTOKEN=token)
    assert answer.status_code == 200 and answer.data["username"] == "ada"


def test_the_framework_finds_nothing_to_say_about_serving_behind_tls():
    """Its own check of settings for deployment, with TLS in front."""
    done = subprocess.run(
        [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"],
        cwd=ROOT / "server", capture_output=True, text=True, check=False,
        env={**os.environ, "INTAGLIO_TLS": "1", "INTAGLIO_HOSTS": "mesh.example",
             "INTAGLIO_SECRET": "".join(chr(33 + 7 * k % 90) for k in range(60)),
             "PYTHONPATH": f"{ROOT / 'core'}:{ROOT / 'server'}"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
