"""The security log: who signed in or failed to, and who changed what others may do."""

import logging
from datetime import timedelta

from django.contrib.auth.models import AnonymousUser, User
from django.http import HttpRequest
from django.utils import timezone
from rest_framework.request import Request

from accounts.models import Event
from accounts.sessions import address_of
from studies.storable import words

log = logging.getLogger("intaglio.security")

# what is told of, and how the page says it
KINDS = {
    "signed_in": "signed in",
    "refused": "a wrong name or password",
    "locked": "signing in refused after too many tries",
    "signed_out": "signed out",
    "password": "changed the password",
    "session_ended": "ended a session",
    "invited": "made an invitation",
    "withdrawn": "withdrew an invitation",
    "joined": "joined by an invitation",
    "renewed": "took a new password by an invitation",
    "closed": "closed an account",
    "opened": "opened an account again",
    "shared": "shared a study",
    "unshared": "took a share back",
    "deleted": "deleted a study",
    "restored": "brought a deleted study back",
}
_KEPT_DAYS = 400


def record(request: Request | HttpRequest, kind: str, about: str = "", who: str = "") -> None:
    """Write a line; who: the name that was given, where nobody is signed in."""
    bare = request._request if isinstance(request, Request) else request
    user = getattr(request, "user", None)
    account = user if isinstance(user, User) else None
    if isinstance(user, AnonymousUser) or user is None:
        name = who
    else:
        name = user.get_username()
    event = Event.objects.create(
        kind=kind,
        account=account,
        who=words(name, 150),
        about=words(about, 200),
        address=address_of(bare),
    )
    log.info("%s: %r from %s %r", kind, event.who, event.address, event.about)


def forget_old() -> None:
    Event.objects.filter(at__lt=timezone.now() - timedelta(days=_KEPT_DAYS)).delete()
