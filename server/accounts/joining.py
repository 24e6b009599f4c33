"""Invitations: the only way to an account."""

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError as Invalid
from django.db import IntegrityError, transaction
from django.utils import timezone
from rest_framework.exceptions import ValidationError

from accounts.demo import is_demo
from accounts.models import Invitation

_DAYS = 7
MOST_LETTERS = 60


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
            user = User(username=_good_name(name), is_staff=held.keeper)
            check_password(password, user)
        user.set_password(password)
        user.save()
        held.used = timezone.now()
        held.save(update_fields=["used"])
    return user


def check_password(password: str, user: User) -> None:
    """Raises ValidationError with the rules that a password breaks."""
    try:
        validate_password(password, user)
    except Invalid as error:
        raise ValidationError({"detail": " ".join(error.messages)}) from error


def _good_name(name: str) -> str:
    name = name.strip()
    try:
        UnicodeUsernameValidator()(name)
    except Invalid as error:
        raise ValidationError({"detail": f"Name: {' '.join(error.messages)}"}) from error
    if len(name) > MOST_LETTERS:
        raise ValidationError({"detail": f"A name has {MOST_LETTERS} letters at the most."})
    if is_demo(name) or User.objects.filter(username__iexact=name).exists():
        raise ValidationError({"detail": f"The name {name} is taken. Choose another."})
    return name


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()
