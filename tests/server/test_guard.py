"""Bodies are refused before they are taken: from nobody, too large, or too slow."""

import asyncio
import json

import pytest
from asgiref.testing import ApplicationCommunicator
from django.contrib.auth import get_user_model
from rest_framework.test import APIClient

from intaglio_server import guard
from intaglio_server.guard import Guard

# other connections and processes look in
pytestmark = pytest.mark.django_db(transaction=True)


PIECE = b"x" * 100_000


class Kept:
    """An application that takes the whole body, as the framework does."""

    def __init__(self):
        self.taken = 0

    async def __call__(self, scope, receive, send):
        more = True
        while more:
            message = await receive()
            self.taken += len(message.get("body", b""))
            more = message.get("more_body", False)
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b"{}"})


def asked(path, pieces, headers=(), last=True, method="POST"):
    """Status and words of the reply to a body in pieces, and how much of it was taken."""
    app = Kept()
    scope = {"type": "http", "method": method, "path": path, "headers": list(headers)}

    async def ask():
        there = ApplicationCommunicator(Guard(app), scope)
        for k, piece in enumerate(pieces):
            more = k < len(pieces) - 1 or not last
            await there.send_input({"type": "http.request", "body": piece, "more_body": more})
        start = await there.receive_output(10)
        body = await there.receive_output(10)
        return start["status"], json.loads(body["body"]).get("code")

    return (*asyncio.run(ask()), app.taken)


@pytest.fixture
def cookie(db):
    get_user_model().objects.create_user("ada", password="quiet-water")
    client = APIClient()
    client.force_login(get_user_model().objects.get(username="ada"))
    return (b"cookie", f"a=b; sessionid={client.cookies['sessionid'].value}".encode())


@pytest.mark.parametrize("path", ["/api/studies", "/api/studies/7/files"])
def test_files_of_nobody_are_not_taken(db, path):
    strange = (b"cookie", b"sessionid=nobody; \x00\xff;;=")
    assert asked(path, [PIECE] * 3) == (403, "not_authenticated", 0)
    assert asked(path, [PIECE] * 3, [strange]) == (403, "not_authenticated", 0)


def test_those_who_signed_in_send_files_up_to_the_limit(cookie, settings):
    settings.UPLOAD_BYTES = 2_000_000
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 100_000
    assert asked("/api/studies", [PIECE] * 20, [cookie]) == (200, None, 2_000_000)
    status, code, taken = asked("/api/studies", [PIECE] * 200, [cookie])
    assert (status, code) == (413, "too-large") and taken < 4_000_000
    # elsewhere no files are expected
    status, code, taken = asked("/api/session", [PIECE] * 200, [cookie])
    assert (status, code) == (413, "too-large") and taken < 2_000_000


def test_a_length_that_is_too_much_is_refused_unread(settings):
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 1000
    long = [(b"content-length", b"99999999999")]
    assert asked("/api/session", [PIECE], long) == (413, "too-large", 0)
    assert asked("/api/session", [PIECE], [(b"content-length", b"many")]) == (400, "bad-length", 0)


@pytest.mark.parametrize("method", ["GET", "HEAD", "OPTIONS", "DELETE", "PUT", "TRACE"])
def test_a_body_is_bounded_whatever_the_method(settings, method):
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 100_000
    status, code, taken = asked("/api/session", [PIECE] * 200, method=method)
    assert (status, code) == (413, "too-large") and taken < 2_000_000


def test_who_sends_nothing_for_long_is_cut(monkeypatch):
    monkeypatch.setattr(guard, "_PAUSE", 0.05)
    assert asked("/api/session", [PIECE], last=False)[:2] == (408, "too-slow")


def test_a_whole_body_waits_for_its_reply_as_long_as_it_takes(monkeypatch):
    """Streams and slow answers are not cut with slow senders."""
    monkeypatch.setattr(guard, "_PAUSE", 0.01)

    async def slow(scope, receive, send):
        await receive()
        waiting = asyncio.ensure_future(receive())
        await asyncio.sleep(0.1)
        assert not waiting.done()
        waiting.cancel()
        await send({"type": "http.response.start", "status": 200, "headers": []})

    async def ask():
        scope = {"type": "http", "method": "POST", "path": "/api/x", "headers": []}
        there = ApplicationCommunicator(Guard(slow), scope)
        await there.send_input({"type": "http.request", "body": b"", "more_body": False})
        return (await there.receive_output(5))["status"]

    assert asyncio.run(ask()) == 200
