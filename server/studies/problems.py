"""Problems as the API tells them: a code, words for the analyst, and the place or blank."""

import logging
from typing import Any

from django.conf import settings
from django.core.exceptions import (
    RequestDataTooBig,
    SuspiciousOperation,
    TooManyFieldsSent,
    TooManyFilesSent,
)
from django.db import DataError, InterfaceError, OperationalError
from rest_framework import status
from rest_framework.exceptions import APIException
from rest_framework.response import Response
from rest_framework.views import exception_handler

from intaglio.errors import IntaglioError
from intaglio_server.failing import AWAY, FAULT, lacks_room
from sandbox.telling import NO_ROOM, problem_of, told
from studies.storable import TooMuch
from studies.store import DamagedProduct

log = logging.getLogger(__name__)


TOO_MANY = "At most {} files are taken at once, and few fields besides. Send them as one zip."
UNFIT = "This holds something that cannot be kept: a number or a text beyond all bounds."


# status of what a child did not answer, where the question is not to blame
_UNANSWERED = {"unexpected": 500, "no-room": 507, "memory": 507, "busy": 503, "too-long": 503}


class NotAnswered(Exception):
    """A question to a child that found no answer; problem: as it is told."""

    def __init__(self, problem: dict[str, Any]) -> None:
        super().__init__(problem["message"])
        self.problem = problem


class Conflict(APIException):
    status_code = status.HTTP_409_CONFLICT
    default_code = "conflict"


def problem(error: BaseException) -> dict[str, Any]:
    """An error as plain data."""
    if isinstance(error, IntaglioError):
        return problem_of(error)
    return told("damaged" if isinstance(error, DamagedProduct) else "error", str(error))


def _told(code: str, message: str, number: int) -> Response:
    return Response(told(code, message), status=number)


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """Every error of the API has the same form; a fault of ours is logged, not shown."""
    if isinstance(error, IntaglioError):
        return Response(problem(error), status=status.HTTP_400_BAD_REQUEST)
    if isinstance(error, NotAnswered):
        return Response(error.problem, status=_UNANSWERED.get(error.problem["code"], 400))
    if isinstance(error, DamagedProduct):
        return Response(problem(error), status=status.HTTP_500_INTERNAL_SERVER_ERROR)
    response = exception_handler(error, context)
    if response is None and lacks_room(error):
        log.error("a disk is full: %s", error)
        return _told("no-room", NO_ROOM, status.HTTP_507_INSUFFICIENT_STORAGE)
    if response is None and isinstance(error, (OperationalError, InterfaceError)):
        log.warning("the database is away: %s", error)
        return _told("away", AWAY, status.HTTP_503_SERVICE_UNAVAILABLE)
    if response is None and isinstance(error, RequestDataTooBig):
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE / 2**20
        return _told("too-large", f"A request may have {most:.0f} MiB at the most.", 413)
    if response is None and isinstance(error, (TooManyFieldsSent, TooManyFilesSent)):
        return _told("too-many", TOO_MANY.format(settings.DATA_UPLOAD_MAX_NUMBER_FILES), 413)
    if response is None and isinstance(error, SuspiciousOperation):
        log.warning("refused: %r", error)
        return _told("unfit", UNFIT, status.HTTP_400_BAD_REQUEST)
    if response is None and isinstance(error, (DataError, UnicodeError, RecursionError, TooMuch)):
        log.info("refused: %r", error)
        return _told("unfit", UNFIT, status.HTTP_400_BAD_REQUEST)
    if response is None:
        log.exception("unexpected error in %s", context["view"].__class__.__name__)
        return _told("server", FAULT, status.HTTP_500_INTERNAL_SERVER_ERROR)
    detail = response.data.get("detail") if isinstance(response.data, dict) else None
    if detail is None:
        fields = response.data.items() if isinstance(response.data, dict) else []
        detail = " ".join(f"{k}: {' '.join(map(str, v))}" for k, v in fields) or "Bad request."
    code = getattr(detail, "code", "invalid")
    response.data = told(code, str(detail))
    if hasattr(error, "stale"):
        response.data["stale"] = error.stale
    return response
