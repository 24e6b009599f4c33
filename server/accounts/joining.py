"""Invitations: the only way to an account."""

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError as Invalid
from django.db import IntegrityError, transaction
from django.db.models import Q
from django.utils import timezone
from rest_framework.exceptions import ValidationError

from accounts.demo import is_demo
from accounts.models import Invitation, Session
from accounts.names import good_name

_DAYS = 7
# of a password
_LETTERS, _DIFFERENT = 10, 5


def invite(
    by: User | None, keeper: bool = False, account: User | None = None, note: str = ""
) -> tuple[Invitation, str]:
    """An invitation, and the secret for its link, which is kept nowhere."""
    secret = secrets.token_urlsafe(32)
    made = Invitation.objects.create(
        token=_hash(secret),
        by=by,
        account=account,
        keeper=keeper,
        note=note,
        until=timezone.now() + timedelta(days=_DAYS),
    )
    return made, secret


def open_invitation(secret: str) -> Invitation | None:
    """The invitation that a secret opens, if it still does."""
    found = Invitation.objects.filter(token=_hash(secret), used=None, until__gt=timezone.now())
    return found.select_related("account").first()


def take(invitation: Invitation, name: str, password: str) -> User:
    """The account that an invitation makes, or gives a new password. Raises ValidationError, and
    the invitation stays."""
    try:
        return _take(invitation, name, password)
    except IntegrityError as error:
        # another took the name at the same moment
        raise ValidationError({"detail": f"The name {name} is taken. Choose another."}) from error


def _take(invitation: Invitation, name: str, password: str) -> User:
    with transaction.atomic():
        held = Invitation.objects.select_for_update().get(id=invitation.pk)
        if held.used is not None:
            raise ValidationError({"detail": "This invitation has been used."})
        if held.account is not None:
            user = held.account
            if not user.is_active:
                raise ValidationError({"detail": "This account is closed."})
            check_password(password, user)
        else:
            user = User(username=_free_name(name), is_staff=held.keeper)
            check_password(password, user)
        user.set_password(password)
        user.save()
        held.used = timezone.now()
        held.save(update_fields=["used"])
        withdraw_links(user)
    return user


def withdraw_links(user: User) -> None:
    """Take back all links that set an account's password and were not used."""
    Invitation.objects.filter(account=user, used=None).delete()


def close(user: User) -> None:
    """Close an account: nobody is signed in to it, and no link that was made for it, or by it,
    opens anything any more."""
    with transaction.atomic():
        user.is_active = False
        user.save(update_fields=["is_active"])
        Session.objects.filter(account=user).delete()
        Invitation.objects.filter(Q(account=user) | Q(by=user), used=None).delete()


def check_password(password: str, user: User) -> None:
    """Raises ValidationError with the rules that a password breaks."""
    words = password.split()
    if len("".join(words)) < _LETTERS or len(set(password)) < _DIFFERENT:
        raise ValidationError(
            {
                "detail": f"A password has {_LETTERS} letters at the least besides spaces, and "
                f"{_DIFFERENT} different ones."
            }
        )
    try:
        validate_password(password, user)
    except Invalid as error:
        raise ValidationError({"detail": " ".join(error.messages)}) from error


def _free_name(name: str) -> str:
    out = good_name(name, User.objects.values_list("username", flat=True))
    if is_demo(out):
        raise ValidationError({"detail": f"The name {out} is taken. Choose another."})
    return out


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()
