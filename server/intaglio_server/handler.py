"""How a request reaches its view: in one thread from end to end.

The framework's own chain for an event loop goes to a thread and back for each of its layers that
is not made for the loop. With other threads at work every such step waits for the interpreter,
so that a call among many took several times as long as its own work.
"""

from collections.abc import Callable
from typing import Any

import django
from asgiref.sync import sync_to_async
from django.core.handlers.asgi import ASGIHandler
from django.http import HttpRequest
from django.http.response import HttpResponseBase


class OneThreadHandler(ASGIHandler):
    """The framework's handler with a chain of plain calls behind one step to a thread."""

    # of the framework's base, which leaves it open whether it is one to wait for
    _middleware_chain: Any

    def load_middleware(self, is_async: bool = False) -> None:
        super().load_middleware(is_async=False)
        chain: Callable[[HttpRequest], HttpResponseBase] = self._middleware_chain
        self._middleware_chain = sync_to_async(chain, thread_sensitive=True)


def application() -> OneThreadHandler:
    django.setup(set_prefix=False)
    return OneThreadHandler()
