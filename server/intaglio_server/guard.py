"""Who may send how much, looked at before any of it is taken: the framework itself keeps a whole
body on disk before it asks who sends it.
"""

import asyncio
import json
import re
import time
from collections.abc import Awaitable, Callable, Mapping
from http.cookies import CookieError, SimpleCookie
from importlib import import_module
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import get_user
from django.db import DatabaseError, close_old_connections
from django.http import HttpRequest

Scope = dict[str, Any]
Message = Mapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]

# where files come in; elsewhere a body is a form's
_FILES = re.compile(r"^/api/studies(/\d+/files)?$")
# what a request may have besides its files; seconds between two pieces, and bytes a second over all
_AROUND, _PAUSE, _SLOWEST = 2**20, 30.0, 10_000.0


class _Refused(Exception):
    """A request that is not taken further: a status, a code and words."""

    def __init__(self, status: int, code: str, words: str) -> None:
        super().__init__(words)
        self.status, self.code = status, code


class Guard:
    """An ASGI application that lets through what may come in."""

    def __init__(self, app: App) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        begun = False

        async def told(message: Message) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            most = await _allowed(scope)
            await self.app(scope, _counted(receive, most), told)
        except _Refused as refused:
            if not begun:
                await _refuse(send, refused)


async def _allowed(scope: Scope) -> int:
    """Bytes that this request may have. Raises _Refused."""
    headers = {name.lower(): value for name, value in scope["headers"]}
    most = int(settings.DATA_UPLOAD_MAX_MEMORY_SIZE)
    if scope["method"] in ("GET", "HEAD", "OPTIONS"):
        # nothing here reads a body with these
        most = 0
    if scope["method"] == "POST" and _FILES.match(scope["path"]):
        if not await sync_to_async(_signed_in)(headers.get(b"cookie", b"").decode("latin-1")):
            raise _Refused(403, "not_authenticated", "Sign in first.")
        most = int(settings.UPLOAD_BYTES)
    try:
        length = int(headers.get(b"content-length", b"0"))
    except ValueError as error:
        raise _Refused(400, "bad-length", "The request's length is no number.") from error
    if length > most + _AROUND:
        raise _too_large(most)
    return most + _AROUND


def _too_large(most: int) -> _Refused:
    return _Refused(413, "too-large", f"No more than {most / 2**20:.0f} MiB are taken at once.")


def _signed_in(cookies: str) -> bool:
    """Whether a request with these cookies comes from someone who has signed in."""
    try:
        held = SimpleCookie(cookies).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return False
    if held is None:
        return False
    request = HttpRequest()
    request.session = import_module(settings.SESSION_ENGINE).SessionStore(held.value)
    try:
        return bool(get_user(request).is_authenticated)
    except DatabaseError as error:
        raise _Refused(503, "away", "The database is away. Try again in a moment.") from error
    finally:
        close_old_connections()


def _counted(receive: Receive, most: int) -> Receive:
    """The same, but no more than so much and no slower than anyone would be."""
    begun, taken = time.monotonic(), 0

    async def counted() -> Message:
        nonlocal taken
        late = _Refused(408, "too-slow", "The request came too slowly and was given up.")
        try:
            message = await asyncio.wait_for(receive(), None if whole else _PAUSE)
        except TimeoutError as error:
            raise late from error
        if message["type"] == "http.request":
            taken += len(message.get("body", b""))
            if taken > most:
                raise _too_large(most)
            if not message.get("more_body", False):
                done()
            elif time.monotonic() - begun > _PAUSE + taken / _SLOWEST:
                raise late
        return message

    whole = False

    def done() -> None:
        nonlocal whole
        whole = True

    return counted


async def _refuse(send: Send, refused: _Refused) -> None:
    body: dict[str, Any] = {
        "code": refused.code,
        "message": str(refused),
        "places": [],
        "blank": None,
    }
    headers = [
        (b"content-type", b"application/json"),
        (b"cache-control", b"no-store"),
        # what was not read of the request is not mistaken for the next one
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": refused.status, "headers": headers})
    await send({"type": "http.response.body", "body": json.dumps(body).encode()})
