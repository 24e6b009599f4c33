"""Connections on which no request comes are closed: each holds a handle, and there are not many."""

import asyncio
from typing import Any

from uvicorn.protocols.http.h11_impl import H11Protocol

# seconds for all headers of a request, from the first byte or from when the connection was made
HEADERS_WITHIN = 20.0


class PatientProtocol(H11Protocol):
    """The server's protocol, which itself waits for the rest of a request without end."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self._waiting: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        # a timer of the base, which ends idle connections, is stopped by a single byte
        if not self._answering():
            self._wait()
        super().data_received(data)
        if self._answering():
            self._wait_no_more()

    def connection_lost(self, exc: Exception | None) -> None:
        self._wait_no_more()
        super().connection_lost(exc)

    def _answering(self) -> bool:
        return self.cycle is not None and not self.cycle.response_complete

    def _wait(self) -> None:
        if self._waiting is None:
            self._waiting = self.loop.call_later(HEADERS_WITHIN, self.transport.close)

    def _wait_no_more(self) -> None:
        if self._waiting is not None:
            self._waiting.cancel()
            self._waiting = None
