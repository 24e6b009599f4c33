"""What the web server asks a child about the models of a study: places by the ruler, files of the
geometry. A child sees one study, and one that crashes or takes too long is no loss but the answer.
"""

import logging
import threading
import time
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.conf import settings

from sandbox.line import Message, hear, say
from sandbox.telling import told
from studies import children
from studies.children import Child
from studies.problems import NotAnswered
from studies.serving import Giving, Untrue
from studies.storable import bounded

log = logging.getLogger(__name__)

# children that stay for the studies asked about last, of one process
_MOST = 4
_FOUND_BYTES = 2**20
_MOST_FILES = 100_000
# seconds between two looks at how much a child's folder holds
_WEIGH_SECONDS = 2.0
TOO_LARGE = "The files of this answer grew beyond all that one may hold. Nothing was changed."
BUSY = "The server still works on this geometry for another request. Try again in a moment."
TOO_LONG = "The CAD kernel took longer than {} s on this and was stopped. Nothing was changed."
NO_MEMORY = "There is not enough memory on the server to work on this model's geometry."


class Declined(NotAnswered):
    """The child is well, and says why there is no answer."""


class _Desk:
    """Where one study's questions of one kind wait for their child."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.child: Child | None = None

    def close(self) -> None:
        if self.child is not None:
            self.child.end()
            self.child = None


_desks: OrderedDict[tuple[int, str], _Desk] = OrderedDict()
_all = threading.Lock()


@contextmanager
def _at_desk(of: tuple[int, str]) -> Iterator[_Desk]:
    """The desk, for one at a time; those asked last but `_MOST` are closed. Raises NotAnswered."""
    patience = time.monotonic() + settings.ASK_SECONDS
    while True:
        with _all:
            desk = _desks.setdefault(of, _Desk())
            _desks.move_to_end(of)
            for key in list(_desks)[:-_MOST]:
                # one that is at work stays until the next time
                if _desks[key].lock.acquire(blocking=False):
                    closed = _desks.pop(key)
                    closed.close()
                    # whoever waits for it looks for the desk anew
                    closed.lock.release()
        if not desk.lock.acquire(timeout=max(0.0, patience - time.monotonic())):
            raise NotAnswered(told("busy", BUSY))
        if _desks.get(of) is desk:
            break
        desk.lock.release()
    try:
        yield desk
    except Declined:
        raise
    except BaseException:
        # whatever it was at, it is of no use any more
        desk.close()
        raise
    finally:
        desk.lock.release()


def _answer(desk: _Desk, file_name: str, question: Message) -> tuple[Message, Giving]:
    """What a desk's child says to a question."""
    from sandbox.answers import answer_many

    if desk.child is not None and not desk.child.alive:
        desk.close()
    if desk.child is None:
        desk.child = children.begun(answer_many)
    child = desk.child
    giving = Giving(child, [question["key"]])
    until = time.monotonic() + settings.ASK_SECONDS
    try:
        say(child.here, question)
        while (left := until - time.monotonic()) > 0.0:
            if not child.here.poll(min(left, _WEIGH_SECONDS)):
                if child.holds > settings.JOB_BYTES:
                    raise NotAnswered(told("no-room", TOO_LARGE))
                continue
            message = hear(child.here)
            own = giving.answer(message)
            if own is None:
                return message, giving
            say(child.here, own)
    except (EOFError, OSError) as error:
        log.warning("a child that answers questions ended: %r", error)
        raise NotAnswered(told(*children.died(file_name, "", child.stop()))) from error
    raise NotAnswered(told("too-long", TOO_LONG.format(settings.ASK_SECONDS)))


def _asked(desk: _Desk, file_name: str, question: Message) -> tuple[Message, Giving]:
    """The same, where it is an answer. Raises NotAnswered."""
    answer, giving = _answer(desk, file_name, question)
    if answer["kind"] == "done":
        return answer, giving
    problem = giving.problem(answer)
    if problem.get("code") == "memory":
        problem["message"] = NO_MEMORY
    raise Declined(problem)


def found(study: int, file_name: str, question: Message) -> dict[str, Any]:
    """The answer to a question about places. file_name: of the part, for words. Raises
    NotAnswered."""
    with _at_desk((study, question["about"])) as desk:
        answer, _ = _asked(desk, file_name, question)
        own = answer.get("found")
        if not isinstance(own, dict):
            raise Untrue("nothing found")
        return dict(bounded(own, _FOUND_BYTES))


def files(study: int, file_name: str, question: Message) -> dict[str, bytes]:
    """Files by name that answer a question for them. Raises NotAnswered."""
    with _at_desk((study, question["about"])) as desk:
        answer, giving = _asked(desk, file_name, question)
        own = answer.get("files")
        if not isinstance(own, list) or len(own) > _MOST_FILES:
            raise Untrue("no files")
        out = {}
        for pair in own:
            if not isinstance(pair, list) or len(pair) != 2 or not isinstance(pair[0], str):
                raise Untrue("no files")
            out[pair[0]] = giving.taken(pair[1])
        return out
