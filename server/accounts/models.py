"""Accounts: who is signed in where, who was invited, and what happened."""

import uuid

from django.conf import settings
from django.contrib.sessions.backends.base import SessionBase
from django.contrib.sessions.base_session import AbstractBaseSession
from django.db import models


class Session(AbstractBaseSession):
    """One browser that is signed in. number: what it is called where its key must not be told."""

    number = models.UUIDField(default=uuid.uuid4, db_index=True)
    account = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="browsers"
    )
    address = models.CharField(max_length=45, blank=True)
    browser = models.CharField(max_length=200, blank=True)
    begun = models.DateTimeField(null=True)
    seen = models.DateTimeField(null=True)

    @classmethod
    def get_session_store_class(cls) -> type[SessionBase]:
        from accounts.sessions import SessionStore

        return SessionStore


class Invitation(models.Model):
    """A link that makes an account, or gives one that is there a new password; it works once.

    token: the SHA-256 of what the link holds. keeper: the account may invite others.
    """

    token = models.CharField(max_length=64, unique=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="+")
    account = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="+"
    )
    keeper = models.BooleanField(default=False)
    note = models.CharField(max_length=120, blank=True)
    created = models.DateTimeField(auto_now_add=True)
    until = models.DateTimeField()
    used = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created"]


class Event(models.Model):
    """A line of the security log. who: the name as it was given, also where no account has it."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    kind = models.CharField(max_length=20)
    account = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+"
    )
    who = models.CharField(max_length=150, blank=True)
    about = models.CharField(max_length=200, blank=True)
    address = models.CharField(max_length=45, blank=True)

    class Meta:
        ordering = ["-id"]
