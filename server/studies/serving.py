"""What a child asks of the process that began it: reports, products, and that they be kept. The
child reads foreign files: nothing that it says is believed further than it must be."""

import os
import re
import stat
from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from django.db import Error as DatabaseFault

from intaglio.recipe.expected import Run, is_expected, is_looked_at
from intaglio.recipe.proving import FLOW
from intaglio.stages.registry import BY_KEY
from intaglio_server.failing import lacks_room
from sandbox.line import Message
from sandbox.telling import NO_ROOM, told
from studies.children import Child
from studies.ending import insisting
from studies.looks import keep_look
from studies.models import Job, Product
from studies.problems import problem
from studies.storable import TooMuch, bounded
from studies.store import DamagedProduct, DatabaseStore, load_bytes, save_bytes

_PROBLEM_BYTES = 4 * 2**20
_KEY = re.compile(r"[0-9a-f]{64}")
_FILE = re.compile(r"put-\d{1,9}")


class Untrue(Exception):
    """A child said what no child says."""


class Giving:
    """Answers to a child that only looks at products; keys: those it may look at."""

    def __init__(self, child: Child, keys: Iterable[str]) -> None:
        self._child = child
        self._given = 0
        self._keys = set(keys)

    def _acts(self) -> dict[str, Callable[[str, Message], Message]]:
        return {"report": self._report, "get": self._get}

    def answer(self, message: Message) -> Message | None:
        """What to answer, if it is something that is asked. Raises Untrue."""
        act = self._acts().get(message["kind"])
        if act is None:
            return None
        key = message.get("key")
        if not isinstance(key, str) or not _KEY.fullmatch(key):
            raise Untrue(f"{key!r} is no key")
        if message["kind"] in ("report", "get") and key not in self._keys:
            if not insisting(partial(self._also, key)):
                raise Untrue(f"{key[:12]} is none of what this is about")
            self._keys.add(key)
        try:
            return {"kind": "answer", **act(key, message)}
        except (DamagedProduct, TooMuch) as error:
            return {"kind": "answer", "problem": problem(error)}
        except (OSError, DatabaseFault) as error:
            if not lacks_room(error):
                raise
            return {"kind": "answer", "problem": told("no-room", NO_ROOM)}

    def problem(self, message: Message) -> dict[str, Any]:
        """The problem that a child failed with. Raises Untrue, TooMuch."""
        own = message.get("problem")
        if not isinstance(own, dict) or not isinstance(own.get("message"), str):
            raise Untrue("no problem")
        return dict(bounded(own, _PROBLEM_BYTES))

    def _also(self, key: str) -> bool:
        """Whether this may be looked at too."""
        return False

    def _report(self, key: str, message: Message) -> Message:
        own = Product.objects.filter(key=key).values_list("report", flat=True)
        return {"report": insisting(own.first)}

    def _get(self, key: str, message: Message) -> Message:
        data = insisting(lambda: load_bytes(key))
        self._given += 1
        name, user = f"get-{self._given}", self._child.user
        # a name that the child took first is none for us
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW
        handle = os.open(name, flags, 0o600, dir_fd=self._child.at)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            if user != os.geteuid():
                os.fchown(handle, user, user)
        return {"file": name}

    def taken(self, name: Any) -> bytes:
        """Bytes of a file that the child wrote: its own, and no way to another."""
        if not isinstance(name, str) or not _FILE.fullmatch(name):
            raise Untrue(f"{name!r} is no file")
        flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK
        handle = os.open(name, flags, dir_fd=self._child.at)
        with os.fdopen(handle, "rb") as file:
            told_of = os.fstat(handle)
            if not stat.S_ISREG(told_of.st_mode) or told_of.st_uid != self._child.user:
                raise Untrue(f"{name} is no file of the child")
            data = file.read()
        os.unlink(name, dir_fd=self._child.at)
        return data


class Serving(Giving):
    """Answers to the child of a job. order: what it is to do; look: what to do with a look that was
    kept."""

    def __init__(
        self, job: Job, child: Child, order: Message, look: Callable[[str, str], None]
    ) -> None:
        super().__init__(child, ())
        self.job, self._look = job, look
        self._run = Run(
            order["target"], order["file_name"], order["source"], order["name"], order["settings"]
        )

    def _acts(self) -> dict[str, Callable[[str, Message], Message]]:
        return {**super()._acts(), "put": self._put, "look": self._shown}

    def keys(self, message: Message) -> dict[str, str]:
        """Keys by stage of the products that a job brought, as far as they are kept: that of its
        target at least. Raises Untrue."""
        told_of = message.get("keys")
        if not isinstance(told_of, dict):
            raise Untrue("no keys")
        keys = {_stage({"stage": s}): k for s, k in told_of.items() if isinstance(k, str)}
        held = Product.objects.filter(key__in=keys.values())
        kept = set(held.values_list("key", flat=True))
        if keys.get(self.job.target) not in kept:
            raise Untrue(f"nothing was kept of {self.job.target}")
        return {stage: key for stage, key in keys.items() if key in kept}

    def _put(self, key: str, message: Message) -> Message:
        stage, report = _stage(message), _report(message)
        live = self.job.live and stage == self.job.target
        data = self.taken(message.get("file"))
        # a product is for all who ask for its key: only this job's own are taken
        if not insisting(partial(self._ordered, stage, key, report)):
            raise Untrue(f"{key[:12]} is no product of {stage} in this job")
        insisting(partial(save_bytes, key, stage, report, data, live=live), large=True)
        return {}

    def _also(self, key: str) -> bool:
        return is_looked_at(key, self._run, DatabaseStore().report)

    def _ordered(self, stage: str, key: str, report: dict[str, Any]) -> bool:
        return is_expected(stage, key, report, self._run, DatabaseStore().report)

    def _shown(self, key: str, message: Message) -> Message:
        stage, report = _stage(message), _report(message)
        data = None if message.get("file") is None else self.taken(message.get("file"))
        kept = partial(keep_look, self.job, stage, key, report, data)
        self._look(stage, insisting(kept, large=True))
        return {}


def _stage(message: Message) -> str:
    stage = message.get("stage")
    if stage != FLOW and stage not in BY_KEY:
        raise Untrue(f"{stage!r} is no stage")
    return str(stage)


def _report(message: Message) -> dict[str, Any]:
    report = message.get("report")
    if not isinstance(report, dict):
        raise Untrue("a report is no report")
    return report
