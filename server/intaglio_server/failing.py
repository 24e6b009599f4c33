"""What is said where no view says anything: in the API's words, never a page."""

import sys

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, JsonResponse

from sandbox.telling import told

AWAY = "The database is away at the moment. Nothing was changed. Try again in a moment."
FAULT = "Something went wrong on the server. Nothing was changed. Try again."


def _said(code: str, words: str, status: int) -> JsonResponse:
    return JsonResponse(told(code, words), status=status)


def refused(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    return _said("unfit", "The request is none that is understood here.", 400)


def forbidden(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    return _said("forbidden", "This is not allowed.", 403)


def missing(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    return _said("not_found", "There is nothing at this address.", 404)


def failed(request: HttpRequest) -> JsonResponse:
    """A fault outside of the views: 503 where it is the database that is away, as while it dies
    under a session that is looked up."""
    error = sys.exc_info()[1]
    if isinstance(error, (OperationalError, InterfaceError)):
        return _said("away", AWAY, 503)
    return _said("server", FAULT, 500)
