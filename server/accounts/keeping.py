"""How long one stays signed in: until one has done nothing for a while, and never for ever."""

import time
import uuid
from typing import Any

from django.conf import settings
from django.contrib.auth import SESSION_KEY, logout
from django.http import HttpRequest
from django.utils.deprecation import MiddlewareMixin

from accounts.demo import is_demo
from accounts.sessions import HELD, address_of
from studies.storable import words

# seconds between two notes that a session is in use
_NOTED = 60.0


def about_session(request: HttpRequest) -> dict[str, Any]:
    """What a session holds of itself when it begins."""
    now = time.time()
    return {
        "number": str(uuid.uuid4()),
        "address": address_of(request),
        "browser": words(request.headers.get("User-Agent", ""), 200),
        "begun": now,
        "seen": now,
    }


class Keeping(MiddlewareMixin):
    """Sign out what is too old, and the demo's account where there is no demo; else note now and
    then that a session is in use, which moves the end of its idle time."""

    def process_request(self, request: HttpRequest) -> None:
        session = request.session
        if not request.path.startswith("/api/") or not session.get(SESSION_KEY):
            return
        held = session.get(HELD) or about_session(request)
        now = time.time()
        if now - held["begun"] > settings.SESSION_LONGEST or (
            not settings.DEMO and is_demo(request.user.get_username())
        ):
            logout(request)
        elif HELD not in session or now - held["seen"] > _NOTED:
            session[HELD] = {**held, "seen": now}
