"""Changes of jobs, told to the pages that are open: one listener on the database for all of them.

The database notifies (a trigger on the jobs' table); a stream reads its user's jobs only then, on
one of a few connections that all streams share, so that ordinary calls keep theirs. Whether their
sessions last is asked for all of them at once.
"""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import Any, TypeVar

import psycopg
from django.db import DatabaseError, close_old_connections, connection

from accounts.models import Session

log = logging.getLogger(__name__)

T = TypeVar("T")

CHANNEL = "intaglio_jobs"
# pages that one user has open at once; threads, each with a connection, that read for all streams
MOST_STREAMS, _READERS = 24, 2
# seconds until a listener that lost the database tries again; between two looks at the sessions
_AGAIN, ALIVE = 1.0, 15.0


@dataclass(eq=False)
class Page:
    """A page that is open. woken: something may have changed for it, as it may have at first;
    ended: its session has been."""

    user_id: int
    session: str | None
    woken: asyncio.Event = field(default_factory=asyncio.Event)
    ended: bool = False


class Hub:
    """The pages of one event loop, by user, the listener that wakes them, and who looks whether
    their sessions last."""

    def __init__(self) -> None:
        self.waiting: dict[int, set[Page]] = defaultdict(set)
        self._tasks: list[asyncio.Task[None]] = []
        self._readers = ThreadPoolExecutor(_READERS, "streams")

    def full(self, user_id: int) -> bool:
        """Whether a user has as many pages open as may be."""
        return len(self.waiting.get(user_id, ())) >= MOST_STREAMS

    def join(self, user_id: int, session: str | None) -> Page:
        """A page of a user, woken when a job of the user changes."""
        if not self._tasks or any(task.done() for task in self._tasks):
            self._stop()
            loop = asyncio.get_running_loop()
            self._tasks = [loop.create_task(self._listen()), loop.create_task(self._look())]
        page = Page(user_id, session)
        page.woken.set()
        self.waiting[user_id].add(page)
        return page

    def leave(self, page: Page) -> None:
        self.waiting[page.user_id].discard(page)
        if not self.waiting[page.user_id]:
            del self.waiting[page.user_id]
        if not self.waiting:
            self._stop()

    def _stop(self) -> None:
        for task in self._tasks:
            task.cancel()
        self._tasks = []

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
            for page in self.waiting.get(user_id, ()):
                page.woken.set()

    async def _look(self) -> None:
        while True:
            await asyncio.sleep(ALIVE)
            pages = [p for own in self.waiting.values() for p in own if p.session is not None]
            try:
                lasting = await self.read(partial(_lasting, [p.session for p in pages]))
            except DatabaseError:
                continue  # while it is away they may have lasted
            for page in pages:
                if page.session not in lasting:
                    page.ended = True
                    page.woken.set()

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


def _lasting(sessions: list[str | None]) -> set[str]:
    """Those that have not been ended."""
    found = Session.objects.filter(session_key__in=sessions)
    return set(found.values_list("session_key", flat=True))


_hubs: dict[int, Hub] = {}


def hub() -> Hub:
    """The hub of the loop that runs."""
    own = id(asyncio.get_running_loop())
    if own not in _hubs:
        _hubs.clear()
        _hubs[own] = Hub()
    return _hubs[own]
