"""JSON as it is read and told: nothing too large, too deep or unkeepable comes in, and whatever is
kept can be told."""

import codecs
import json
from collections.abc import Mapping
from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser
from rest_framework.renderers import JSONRenderer

from studies.storable import fit, storable

# lists in lists, and settings in settings, that anything here means
_DEEPEST = 40


class PlainJSONParser(JSONParser):
    """Reads no more than is allowed, and refuses what could not be kept."""

    def parse(
        self,
        stream: Any,
        media_type: str | None = None,
        parser_context: Mapping[str, Any] | None = None,
    ) -> Any:
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE
        data = stream.read(most + 1)
        if len(data) > most:
            raise RequestDataTooBig
        try:
            value = json.loads(codecs.decode(data, "utf-8"), parse_constant=_none)
        except RecursionError as error:
            raise ParseError("The request is nested too deeply.") from error
        except ValueError as error:
            raise ParseError(f"The request is no JSON: {error}") from error
        if not fit(value, _DEEPEST):
            raise ParseError(
                "The request is nested too deeply, or holds letters that are none (a NUL, half of "
                "a surrogate pair)."
            )
        return value


def _none(word: str) -> None:
    raise ValueError(f"{word} is no number")


class PlainJSONRenderer(JSONRenderer):
    """Tells whatever there is: numbers that are none as null."""

    def render(
        self,
        data: Any,
        accepted_media_type: str | None = None,
        renderer_context: Mapping[str, Any] | None = None,
    ) -> bytes:
        try:
            return bytes(super().render(data, accepted_media_type, renderer_context))
        except ValueError:
            return bytes(super().render(storable(data), accepted_media_type, renderer_context))
