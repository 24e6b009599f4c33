"""Sessions in the database that know whose they are, so that one can see and end them."""

from datetime import UTC, datetime
from typing import Any

from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore as DatabaseSessions
from django.http import HttpRequest

# what a session holds of itself
HELD = "held"


class SessionStore(DatabaseSessions):
    @classmethod
    def get_model_class(cls) -> Any:
        from accounts.models import Session

        return Session

    def create_model_instance(self, data: dict[str, Any]) -> Any:
        made: Any = super().create_model_instance(data)
        held = data.get(HELD)
        if held is not None and data.get(SESSION_KEY):
            made.account_id = int(data[SESSION_KEY])
            made.number = held["number"]
            made.address, made.browser = held["address"], held["browser"]
            made.begun, made.seen = (
                datetime.fromtimestamp(held[k], UTC) for k in ("begun", "seen")
            )
        return made


def address_of(request: HttpRequest) -> str:
    """Where a request comes from; behind a proxy the web server has put in whom that speaks for."""
    return str(request.META.get("REMOTE_ADDR") or "")[:45]
