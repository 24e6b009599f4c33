"""What a job's child asks of its worker: reports, products, and that they be kept. The child reads
foreign files: nothing that it says is believed further than it must be."""

import os
import re
import stat
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import psycopg
from django.db import Error as DatabaseFault

from intaglio.recipe.proving import FLOW
from intaglio.stages.registry import BY_KEY
from sandbox.child import disk_is_full
from sandbox.line import Message
from sandbox.telling import NO_ROOM, told
from studies.ending import insisting
from studies.looks import keep_look
from studies.models import Job, Product
from studies.problems import problem
from studies.storable import TooMuch, bounded
from studies.store import DamagedProduct, load_bytes, save_bytes

_PROBLEM_BYTES = 4 * 2**20
_KEY = re.compile(r"[0-9a-f]{64}")
_FILE = re.compile(r"put-\d{1,9}")


class Untrue(Exception):
    """A child said what no child says."""


class Serving:
    """Answers to the child of a job. folder: where files go to and fro; user: whose the child's
    files are, if not this one's; look: what to do with a look that was kept."""

    def __init__(
        self, job: Job, folder: Path, user: int | None, look: Callable[[str, str], None]
    ) -> None:
        self.job, self.folder, self.user, self._look = job, folder, user, look
        self._given = 0

    def answer(self, message: Message) -> Message | None:
        """What to answer, if it is something that is asked. Raises Untrue."""
        own = {"report": self._report, "get": self._get, "put": self._put, "look": self._shown}
        act = own.get(message["kind"])
        if act is None:
            return None
        key = message.get("key")
        if not isinstance(key, str) or not _KEY.fullmatch(key):
            raise Untrue(f"{key!r} is no key")
        try:
            return {"kind": "answer", **act(key, message)}
        except (DamagedProduct, TooMuch) as error:
            return {"kind": "answer", "problem": problem(error)}
        except (OSError, DatabaseFault) as error:
            if not disk_is_full(error) and not _database_is_full(error):
                raise
            return {"kind": "answer", "problem": told("no-room", NO_ROOM)}

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

    def problem(self, message: Message) -> dict[str, Any]:
        """The problem that a job failed with. Raises Untrue, TooMuch."""
        own = message.get("problem")
        if not isinstance(own, dict) or not isinstance(own.get("message"), str):
            raise Untrue("no problem")
        return dict(bounded(own, _PROBLEM_BYTES))

    def _report(self, key: str, message: Message) -> Message:
        own = Product.objects.filter(key=key).values_list("report", flat=True)
        return {"report": insisting(own.first)}

    def _get(self, key: str, message: Message) -> Message:
        data = insisting(lambda: load_bytes(key))
        self._given += 1
        path = self.folder / f"get-{self._given}"
        path.write_bytes(data)
        if self.user is not None:
            os.chown(path, self.user, self.user)
        return {"file": path.name}

    def _put(self, key: str, message: Message) -> Message:
        stage, report = _stage(message), _report(message)
        live = self.job.live and stage == self.job.target
        data = self._taken(message)
        insisting(partial(save_bytes, key, stage, report, data, live=live))
        return {}

    def _shown(self, key: str, message: Message) -> Message:
        stage, report = _stage(message), _report(message)
        data = None if message.get("file") is None else self._taken(message)
        self._look(stage, insisting(partial(keep_look, self.job, stage, key, report, data)))
        return {}

    def _taken(self, message: Message) -> bytes:
        """Bytes of a file that the child wrote: its own, and no way to another."""
        name = message.get("file")
        if not isinstance(name, str) or not _FILE.fullmatch(name):
            raise Untrue(f"{name!r} is no file")
        handle = os.open(self.folder / name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
        with os.fdopen(handle, "rb") as file:
            told_of = os.fstat(handle)
            owner = os.geteuid() if self.user is None else self.user
            if not stat.S_ISREG(told_of.st_mode) or told_of.st_uid != owner:
                raise Untrue(f"{name} is no file of the child")
            data = file.read()
        (self.folder / name).unlink()
        return data


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


def _database_is_full(error: BaseException | None) -> bool:
    while error is not None:
        if isinstance(error, psycopg.errors.DiskFull):
            return True
        error = error.__cause__ or error.__context__
    return False
