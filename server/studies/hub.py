"""Changes of jobs, told to the pages that are open: one listener on the database for all of them.

The database notifies (a trigger on the jobs' table); a stream reads its user's jobs only then, on
one of a few connections that all streams share, so that ordinary calls keep theirs.
"""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import psycopg
from django.db import close_old_connections, connection

log = logging.getLogger(__name__)

T = TypeVar("T")

CHANNEL = "intaglio_jobs"
# pages that one user has open at once; threads, each with a connection, that read for all streams
MOST_STREAMS, _READERS = 24, 2
# seconds until a listener that lost the database tries again
_AGAIN = 1.0


class Hub:
    """The streams of one event loop, by user, and the listener that wakes them."""

    def __init__(self) -> None:
        self.waiting: dict[int, set[asyncio.Event]] = defaultdict(set)
        self._listener: asyncio.Task[None] | None = None
        self._readers = ThreadPoolExecutor(_READERS, "streams")

    def full(self, user_id: int) -> bool:
        """Whether a user has as many pages open as may be."""
        return len(self.waiting.get(user_id, ())) >= MOST_STREAMS

    def join(self, user_id: int) -> asyncio.Event:
        """What is set when a job of a user changes; it is set at first."""
        if self._listener is None or self._listener.done():
            self._listener = asyncio.get_running_loop().create_task(self._listen())
        changed = asyncio.Event()
        changed.set()
        self.waiting[user_id].add(changed)
        return changed

    def leave(self, user_id: int, changed: asyncio.Event) -> None:
        self.waiting[user_id].discard(changed)
        if not self.waiting[user_id]:
            del self.waiting[user_id]
        if not self.waiting and self._listener is not None:
            self._listener.cancel()

    async def read(self, query: Callable[[], T]) -> T:
        """What a query gives, read on a connection of the streams."""

        def ask() -> T:
            close_old_connections()
            try:
                return query()
            finally:
                connection.close()

        return await asyncio.get_running_loop().run_in_executor(self._readers, ask)

    def _wake(self, user_ids: list[int]) -> None:
        for user_id in user_ids:
            for changed in self.waiting.get(user_id, ()):
                changed.set()

    async def _listen(self) -> None:
        while True:
            try:
                await self._hear()
            except (psycopg.Error, OSError) as error:
                log.warning("the listener lost the database: %s", error)
                await asyncio.sleep(_AGAIN)

    async def _hear(self) -> None:
        how: dict[str, Any] = connection.get_connection_params()
        how.pop("cursor_factory", None)
        how.pop("context", None)
        async with await psycopg.AsyncConnection.connect(**how, autocommit=True) as held:
            await held.execute(f"LISTEN {CHANNEL}")
            # what changed before it listened, or while it was away, nobody tells
            self._wake(list(self.waiting))
            async for told in held.notifies():
                self._wake([int(told.payload)])


_hubs: dict[int, Hub] = {}


def hub() -> Hub:
    """The hub of the loop that runs."""
    own = id(asyncio.get_running_loop())
    if own not in _hubs:
        _hubs.clear()
        _hubs[own] = Hub()
    return _hubs[own]
