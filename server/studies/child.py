"""The child process of a job. Importing this module loads all that the computation needs."""

import errno
import os
import tempfile
import threading
import time
from multiprocessing.connection import Connection

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "intaglio_server.settings")

import django
import psycopg

django.setup()

from django.db import close_old_connections  # noqa: E402

import intaglio.recipe.plan  # noqa: E402, F401
from intaglio.errors import IntaglioError  # noqa: E402
from intaglio.parts.model import Product  # noqa: E402
from studies.ending import insisting, told  # noqa: E402
from studies.looks import keep_look  # noqa: E402
from studies.models import Job  # noqa: E402
from studies.problems import problem  # noqa: E402
from studies.runner import UNEXPECTED, compute_job, die_with, limit_memory  # noqa: E402
from studies.storable import TooMuch  # noqa: E402
from studies.store import DamagedProduct  # noqa: E402

_OFTEN = 0.2
# seconds between two looks at what is not done yet
_LOOKS = 0.7
# seconds after which a process that keeps models at hand gives the memory back
_IDLE = 900.0

NO_ROOM = (
    "The server's disk is full. Nothing was changed, and what was there before is kept. Make room, "
    "and run it again."
)


def compute(there: Connection, job_id: str, folder: str) -> None:
    """Compute one job and send progress and looks at what there is, then `done` with keys or
    `failed` with the problem. folder: where files that are needed for a while may be. What comes
    in asks it to stop with what there is."""
    tempfile.tempdir = folder
    stop = threading.Event()
    die_with(there, stop)
    limit_memory()
    _compute(there, job_id, {}, stop)
    there.close()


def compute_many(there: Connection, life: Connection) -> None:
    """Compute the jobs whose ids come in, one after the other, and keep the models at hand.

    life: a pipe whose other end the worker holds open. Ends when nothing came for long.
    """
    die_with(life, threading.Event())
    limit_memory()
    kept: dict[str, Product] = {}
    while there.poll(_IDLE):
        job_id = there.recv()
        close_old_connections()
        _compute(there, job_id, kept, threading.Event())


def _compute(
    there: Connection, job_id: str, kept: dict[str, Product], stop: threading.Event
) -> None:
    told_at, told_of = 0.0, ""

    def tell(stage: str, share: float, doing: str) -> None:
        nonlocal told_at, told_of
        now = time.monotonic()
        if stage != told_of or now - told_at > _OFTEN:
            told_at, told_of = now, stage
            there.send({"kind": "progress", "stage": stage, "share": share, "doing": doing})

    shown_at, shown_of = 0.0, ""

    def show(stage: str, key: str, product: Product) -> None:
        nonlocal shown_at, shown_of
        now = time.monotonic()
        if key != shown_of or now - shown_at > _LOOKS:
            look = insisting(lambda: keep_look(job, stage, key, product))
            shown_at, shown_of = time.monotonic(), key
            there.send({"kind": "look", "stage": stage, "look": look})

    try:
        asked = Job.objects.select_related("source", "study")
        job = insisting(lambda: asked.get(id=job_id))
        there.send({"kind": "done", "keys": compute_job(job, tell, show, kept, stop)})
    except (IntaglioError, DamagedProduct, TooMuch) as error:
        there.send({"kind": "failed", "problem": problem(error)})
    except MemoryError:
        there.send(
            {
                "kind": "failed",
                "problem": told(
                    "memory", "There is not enough memory for these sizes. Use larger edges."
                ),
            }
        )
    except Exception as error:
        if disk_is_full(error):
            there.send({"kind": "failed", "problem": told("no-room", NO_ROOM)})
            return
        import logging

        logging.getLogger(__name__).exception("job %s failed", job_id)
        text = UNEXPECTED.format(type(error).__name__)
        there.send({"kind": "failed", "problem": told("unexpected", text)})


def disk_is_full(error: BaseException | None) -> bool:
    """Whether an error, or one that it came from, says that a disk has no room left: this
    machine's, or the database's."""
    while error is not None:
        if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
            return True
        if isinstance(error, psycopg.errors.DiskFull):
            return True
        error = error.__cause__ or error.__context__
    return False
