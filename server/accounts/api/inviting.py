"""Invitations and accounts, for those who keep them; joining, for those who were invited."""

from typing import Any

from django.contrib.auth.models import User
from django.db.models import Max
from django.http import Http404
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.permissions import AllowAny, IsAdminUser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from accounts.api.session import session_told, sign_in
from accounts.joining import close, invite, open_invitation, take
from accounts.models import Invitation, Session
from accounts.record import record
from accounts.shapes import (
    AccountChangeShape,
    AccountShape,
    InvitationShape,
    InviteShape,
    JoiningShape,
    JoinShape,
    SessionShape,
)
from studies.api.access import user_of


def _row(made: Invitation, secret: str | None = None) -> dict[str, Any]:
    return {
        "id": made.pk,
        "note": made.note,
        "keeper": made.keeper,
        "account": made.account.get_username() if made.account else None,
        "by": made.by.get_username() if made.by else None,
        "until": made.until,
        "secret": secret,
    }


class InvitationsView(APIView):
    permission_classes = [IsAdminUser]

    @extend_schema(responses=InvitationShape(many=True))
    def get(self, request: Request) -> Response:
        """Invitations that still open something."""
        held = Invitation.objects.filter(used=None, until__gt=timezone.now())
        rows = [_row(i) for i in held.select_related("account", "by")]
        return Response(InvitationShape(rows, many=True).data)

    @extend_schema(request=InviteShape, responses={201: InvitationShape})
    def post(self, request: Request) -> Response:
        shape = InviteShape(data=request.data)
        shape.is_valid(raise_exception=True)
        asked = shape.validated_data
        account = None
        if asked.get("account") is not None:
            account = User.objects.filter(id=asked["account"]).first()
            if account is None:
                raise ValidationError({"detail": "There is no such account."})
        made, secret = invite(user_of(request), asked["keeper"], account, asked["note"])
        record(request, "invited", about=account.get_username() if account else asked["note"])
        return Response(InvitationShape(_row(made, secret)).data, status=201)


class InvitationView(APIView):
    permission_classes = [IsAdminUser]

    @extend_schema(responses={204: None})
    def delete(self, request: Request, invitation_id: int) -> Response:
        """Withdraw an invitation."""
        held = Invitation.objects.filter(id=invitation_id, used=None).first()
        if held is None:
            raise Http404("There is no such invitation.")
        record(request, "withdrawn", about=held.note)
        held.delete()
        return Response(status=204)


def _accounts() -> list[dict[str, Any]]:
    held = User.objects.annotate(seen=Max("browsers__seen")).order_by("username")
    return [
        {
            "id": user.pk,
            "name": user.get_username(),
            "keeper": user.is_staff,
            "open": user.is_active,
            "seen": user.seen,
        }
        for user in held
    ]


class AccountsView(APIView):
    permission_classes = [IsAdminUser]

    @extend_schema(responses=AccountShape(many=True))
    def get(self, request: Request) -> Response:
        return Response(AccountShape(_accounts(), many=True).data)


class AccountView(APIView):
    permission_classes = [IsAdminUser]

    @extend_schema(request=AccountChangeShape, responses=AccountShape(many=True))
    def patch(self, request: Request, account_id: int) -> Response:
        """Close an account, whose studies stay, or open it again."""
        user = User.objects.filter(id=account_id).first()
        if user is None:
            raise Http404("There is no such account.")
        shape = AccountChangeShape(data=request.data)
        shape.is_valid(raise_exception=True)
        opens = shape.validated_data["open"]
        if user == request.user:
            raise ValidationError({"detail": "One's own account stays open."})
        if opens:
            user.is_active = True
            user.save(update_fields=["is_active"])
        else:
            close(user)
        record(request, "opened" if opens else "closed", about=user.get_username())
        return Response(AccountShape(_accounts(), many=True).data)


class JoinView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(responses=JoiningShape)
    @method_decorator(ensure_csrf_cookie)
    def get(self, request: Request, secret: str) -> Response:
        """What an invitation opens."""
        held = _opened(secret)
        by = held.by.get_username() if held.by else None
        name = held.account.get_username() if held.account else None
        return Response({"account": name, "by": by})

    @extend_schema(request=JoinShape, responses=SessionShape)
    @method_decorator(ensure_csrf_cookie)
    @method_decorator(csrf_protect)
    def post(self, request: Request, secret: str) -> Response:
        """Make the account, or set its password, and sign in."""
        held = _opened(secret)
        shape = JoinShape(data=request.data)
        shape.is_valid(raise_exception=True)
        user = take(held, shape.validated_data["username"], shape.validated_data["password"])
        Session.objects.filter(account=user).delete()
        sign_in(request, user)
        record(request, "joined" if held.account is None else "renewed")
        return session_told(request)


def _opened(secret: str) -> Invitation:
    held = open_invitation(secret)
    if held is None:
        raise Http404("This invitation opens nothing any more. Ask for another one.")
    return held
