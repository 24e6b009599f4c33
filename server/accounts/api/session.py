"""Signing in and out, one's password, one's browsers, and what happened with one's account."""

from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.http import Http404
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import APIException, ValidationError
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from accounts.demo import is_demo
from accounts.guessing import guessed_at
from accounts.joining import check_password, withdraw_links
from accounts.keeping import about_session
from accounts.models import Event, Session
from accounts.record import KINDS, record
from accounts.sessions import HELD, address_of
from accounts.shapes import (
    BrowserShape,
    EventShape,
    PasswordShape,
    SessionShape,
    SignInShape,
)
from studies.api.access import user_of
from studies.children import unguarded

_LINES = 200


class TooOften(APIException):
    status_code = 429
    default_code = "too-often"
    default_detail = (
        "Too many wrong passwords for this name from here. Wait a quarter of an hour, then try "
        "again."
    )


class GuessedAt(TooOften):
    default_detail = (
        "Too many wrong passwords were given for this name. Sign in from where you did before, "
        "wait an hour, or ask a keeper for a link to a new password."
    )


def session_told(request: Request) -> Response:
    user = request.user
    known = isinstance(user, User)
    return Response(
        {
            "username": user.get_username() if known else None,
            "upload_limit": settings.UPLOAD_BYTES,
            "keeper": known and user.is_staff,
            "demo": settings.DEMO,
            "unguarded": unguarded(),
        }
    )


def tried(request: Request, name: str, password: str) -> User:
    """The account with this name and password. Raises TooOften, ValidationError; both are kept in
    the log."""
    bare = request._request
    user = authenticate(bare, username=name, password=password)
    if getattr(bare, "axes_locked_out", False):
        record(request, "locked", who=name)
        raise TooOften
    if not isinstance(user, User) or (is_demo(name) and not settings.DEMO):
        record(request, "refused", who=name)
        raise ValidationError({"detail": "No account has this name and password."})
    return user


def sign_in(request: Request, user: User) -> None:
    """Begin a session."""
    bare = request._request
    login(bare, user, backend="django.contrib.auth.backends.ModelBackend")
    bare.session[HELD] = about_session(bare)
    request.user = user


class SessionView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(responses=SessionShape)
    @method_decorator(ensure_csrf_cookie)
    def get(self, request: Request) -> Response:
        return session_told(request)

    @extend_schema(request=SignInShape, responses=SessionShape)
    @method_decorator(ensure_csrf_cookie)
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        shape = SignInShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        name = asked["username"]
        if guessed_at(name, address_of(request._request)):
            record(request, "locked", who=name)
            raise GuessedAt
        sign_in(request, tried(request, name, asked["password"]))
        record(request, "signed_in")
        return session_told(request)

    @extend_schema(responses=SessionShape)
    def delete(self, request: Request) -> Response:
        if isinstance(request.user, User):
            record(request, "signed_out")
        logout(request._request)
        request.user = request._request.user
        return session_told(request)


class PasswordView(APIView):
    @extend_schema(request=PasswordShape, responses=SessionShape)
    def post(self, request: Request) -> Response:
        """Change one's password; one's other browsers are signed out."""
        user = user_of(request)
        shape = PasswordShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        if is_demo(user.get_username()):
            raise ValidationError({"detail": "The demo's password is everybody's, and stays."})
        tried(request, user.get_username(), asked["old"])
        check_password(asked["new"], user)
        user.set_password(asked["new"])
        user.save(update_fields=["password"])
        update_session_auth_hash(request._request, user)
        _others(request, user).delete()
        withdraw_links(user)
        record(request, "password")
        return session_told(request)


def _others(request: Request, user: User) -> Any:
    """A user's sessions but the one that asks."""
    own = request._request.session.session_key
    return Session.objects.filter(account=user).exclude(session_key=own)


class BrowsersView(APIView):
    @extend_schema(responses=BrowserShape(many=True))
    def get(self, request: Request) -> Response:
        """Where one is signed in, the last used first."""
        user, own = user_of(request), request._request.session.session_key
        held = Session.objects.filter(account=user, expire_date__gt=timezone.now())
        rows = [
            {
                "number": s.number,
                "address": s.address,
                "browser": s.browser,
                "begun": s.begun,
                "seen": s.seen,
                "own": s.session_key == own,
            }
            for s in held.order_by("-seen")
        ]
        return Response(BrowserShape(rows, many=True).data)

    @extend_schema(operation_id="account_browsers_others", responses=BrowserShape(many=True))
    def delete(self, request: Request) -> Response:
        """Sign out everywhere but here."""
        count, _ = _others(request, user_of(request)).delete()
        record(request, "session_ended", about=f"{count} others")
        return self.get(request)


class BrowserView(APIView):
    @extend_schema(responses=BrowserShape(many=True))
    def delete(self, request: Request, number: str) -> Response:
        """Sign out one browser."""
        user = user_of(request)
        held = Session.objects.filter(account=user, number=number).first()
        if held is None:
            raise Http404("You are not signed in there.")
        record(request, "session_ended", about=held.browser)
        held.delete()
        return BrowsersView().get(request)


class LogView(APIView):
    @extend_schema(responses=EventShape(many=True), parameters=[OpenApiParameter("all", bool)])
    def get(self, request: Request) -> Response:
        """What happened with one's account, the last first; all: with everybody's, to keepers."""
        user = user_of(request)
        events = Event.objects.all()
        if not (request.query_params.get("all") == "true" and user.is_staff):
            events = events.filter(who=user.get_username())
        rows = [
            {
                "at": e.at,
                "kind": e.kind,
                "words": KINDS.get(e.kind, e.kind),
                "who": e.who,
                "about": e.about,
                "address": e.address,
            }
            for e in events[:_LINES]
        ]
        return Response(EventShape(rows, many=True).data)
