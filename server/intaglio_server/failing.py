"""What is said where no view says anything: in the API's words, never a page."""

import sys

import psycopg
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, JsonResponse

from sandbox.telling import NO_ROOM, disk_is_full, told

AWAY = "The database is away at the moment. Nothing was changed. Try again in a moment."
FAULT = "Something went wrong on the server. Nothing was changed. Try again."


def lacks_room(error: BaseException | None) -> bool:
    """Whether an error, or one that it came from, says that a disk is full: this machine's, or the
    database's, which is there all the same."""
    if disk_is_full(error):
        return True
    while error is not None and not isinstance(error, psycopg.errors.DiskFull):
        error = error.__cause__ or error.__context__
    return error is not None


def _said(code: str, words: str, status: int) -> JsonResponse:
    return JsonResponse(told(code, words), status=status)


def refused(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    return _said("unfit", "The request is none that is understood here.", 400)


def forbidden(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    return _said("forbidden", "This is not allowed.", 403)


def missing(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    return _said("not_found", "There is nothing at this address.", 404)


def failed(request: HttpRequest) -> JsonResponse:
    """A fault outside of the views: 507 where a disk is full, 503 where it is the database that is
    away, as while it dies under a session that is looked up."""
    error = sys.exc_info()[1]
    if lacks_room(error):
        return _said("no-room", NO_ROOM, 507)
    if isinstance(error, (OperationalError, InterfaceError)):
        return _said("away", AWAY, 503)
    return _said("server", FAULT, 500)
