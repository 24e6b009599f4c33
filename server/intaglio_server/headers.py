"""What every reply says to the browser: whence scripts come, who may frame it, what is kept."""

from collections.abc import Callable
from typing import Any

from asgiref.sync import iscoroutinefunction
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.utils.decorators import sync_and_async_middleware

# the page loads its own files and draws pictures that it made itself; nothing is inline
PAGE = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; "
    "font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; "
    "form-action 'self'; frame-ancestors 'none'"
)
# a report stands alone: its styles and pictures are within it, and it runs nothing
REPORT = (
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; "
    "base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
_HARDWARE = "camera=(), microphone=(), geolocation=(), usb=(), payment=()"


@sync_and_async_middleware
def headers(get_response: Callable[[HttpRequest], Any]) -> Callable[[HttpRequest], Any]:
    """Middleware that adds them."""
    if iscoroutinefunction(get_response):

        async def later(request: HttpRequest) -> HttpResponseBase:
            return _with_headers(request, await get_response(request))

        return later

    def now(request: HttpRequest) -> HttpResponseBase:
        return _with_headers(request, get_response(request))

    return now


def _with_headers(request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
    response.headers.setdefault("Content-Security-Policy", PAGE)
    response.headers.setdefault("Permissions-Policy", _HARDWARE)
    if request.path.startswith("/api/"):
        # results belong to those who may see them now, not to whoever has the browser later
        response.headers["Cache-Control"] = "no-store"
    return response
