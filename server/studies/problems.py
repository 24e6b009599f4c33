"""Problems as the API tells them: a code, words for the analyst, and the place or blank."""

import logging
from typing import Any

from rest_framework import status
from rest_framework.exceptions import APIException
from rest_framework.response import Response
from rest_framework.views import exception_handler

from intaglio.errors import IntaglioError, SettingRejected
from studies.store import DamagedProduct

log = logging.getLogger(__name__)


class Conflict(APIException):
    status_code = status.HTTP_409_CONFLICT
    default_code = "conflict"


def problem(error: BaseException) -> dict[str, Any]:
    """A core error as plain data."""
    out: dict[str, Any] = {"code": "error", "message": str(error), "places": [], "blank": None}
    if isinstance(error, IntaglioError):
        out |= {"code": error.code, "message": error.message, "places": error.places}
    if isinstance(error, SettingRejected):
        out["blank"] = error.blank
    if isinstance(error, DamagedProduct):
        out["code"] = "damaged"
    return out


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """Every error of the API has the same form; a fault of ours is logged, not shown."""
    if isinstance(error, IntaglioError):
        return Response(problem(error), status=status.HTTP_400_BAD_REQUEST)
    if isinstance(error, DamagedProduct):
        return Response(problem(error), status=status.HTTP_500_INTERNAL_SERVER_ERROR)
    response = exception_handler(error, context)
    if response is None:
        log.exception("unexpected error in %s", context["view"].__class__.__name__)
        message = "Something went wrong on the server. Nothing was changed. Try again."
        return Response(
            {"code": "server", "message": message, "places": [], "blank": None},
            status=status.HTTP_500_INTERNAL_SERVER_ERROR,
        )
    detail = response.data.get("detail") if isinstance(response.data, dict) else None
    if detail is None:
        fields = response.data.items() if isinstance(response.data, dict) else []
        detail = " ".join(f"{k}: {' '.join(map(str, v))}" for k, v in fields) or "Bad request."
    code = getattr(detail, "code", "invalid")
    response.data = {"code": code, "message": str(detail), "places": [], "blank": None}
    return response
