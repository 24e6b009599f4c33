"""Faults outside of the views, the server's log, and a server without a secret."""

import logging
import os
import subprocess
import sys
from pathlib import Path

import pytest
from django.db import InterfaceError, OperationalError
from django.test import Client

from accounts.keeping import Keeping

ROOT = Path(__file__).resolve().parents[2]


@pytest.mark.parametrize(
    ("error", "code", "status"),
    [
        (OperationalError("the connection is closed"), "away", 503),
        (InterfaceError("connection already closed"), "away", 503),
        (RuntimeError("a fault"), "server", 500),
    ],
)
@pytest.mark.parametrize("at", ["/api/session", "/api/studies", "/study/1"])
def test_a_fault_before_the_view_is_told_in_words(monkeypatch, error, code, status, at):
    """As when the database dies while a session is looked up."""

    def fails(self, request):
        raise error

    monkeypatch.setattr(Keeping, "process_request", fails)
    answer = Client(raise_request_exception=False).get(at)
    assert answer.status_code == status and answer["Content-Type"] == "application/json"
    assert answer.json()["code"] == code and answer.json()["message"]


def test_what_no_view_answers_is_no_page(settings):
    client = Client(raise_request_exception=False)
    assert client.get("/api/nothing/here").json()["code"] == "not_found"
    settings.ALLOWED_HOSTS = ["mesh.example"]
    answer = client.get("/api/session")
    assert answer.status_code == 400 and answer.json()["code"] == "unfit"


def test_security_lines_reach_the_server_s_log(db, capfd):
    """As a line each, whatever a name holds."""
    page = Client()
    (handler,) = logging.getLogger("intaglio.security").handlers
    handler.setStream(sys.stderr)
    page.post(
        "/api/session",
        {"username": "eve\nroot signed_in", "password": "wrong"},
        content_type="application/json",
    )
    lines = [line for line in capfd.readouterr().err.splitlines() if "intaglio.security" in line]
    assert len(lines) == 1 and "refused: 'eve\\nroot signed_in' from 127.0.0.1" in lines[0]


def test_a_server_without_a_secret_of_its_own_does_not_start():
    words = {k: v for k, v in os.environ.items() if k != "INTAGLIO_SECRET"}
    for secret in ({}, {"INTAGLIO_SECRET": ""}):
        done = subprocess.run(
            [sys.executable, "-c", "import intaglio_server.asgi"],
            cwd=ROOT / "server", capture_output=True, text=True, check=False,
            env={**words, **secret, "PYTHONPATH": f"{ROOT / 'core'}:{ROOT / 'server'}"},
        )  # fmt: skip
        assert done.returncode == 1 and "set INTAGLIO_SECRET" in done.stderr
