"""How jobs end, whatever happens to the write that says so.

Every end is one conditional update that is tried again while the database is away. A job beats
while it is watched; one without a beat is one that nobody works on, whatever the queue thinks.
"""

import logging
import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any, TypeVar

from django.db import DatabaseError, InterfaceError, OperationalError, connection
from django.db.models import Q, QuerySet
from django.db.models.functions import Now
from django.utils import timezone

from intaglio_server.failing import lacks_room
from sandbox.telling import told
from studies.models import Job, Product
from studies.storable import storable, words

log = logging.getLogger(__name__)

T = TypeVar("T")

# seconds between two beats of a job that is watched, and after which one without is lost
BEAT_SECONDS, SILENT_SECONDS = 5.0, 45.0
# how long an end is tried to be written, in seconds
PATIENCE = 120.0
LOST = (
    "Nobody works on this job any more: its worker, or the database, went away. Run it again; if "
    "that happens twice, try larger edges."
)
OVER = (Job.State.DONE, Job.State.FAILED, Job.State.CANCELLED)


def insisting(write: Callable[[], T], patience: float = PATIENCE, large: bool = False) -> T:
    """What `write` gives, tried again on a new connection while the database is away, or has no
    room but for what is large; within a transaction, which is lost with its connection, once."""
    if connection.in_atomic_block:
        return write()
    until, pause = time.monotonic() + patience, 0.2
    while True:
        try:
            return write()
        except (OperationalError, InterfaceError) as error:
            if time.monotonic() > until or (large and lacks_room(error)):
                raise
            log.warning("the database is away, trying again: %s", error)
            connection.close()
            time.sleep(pause)
            pause = min(2 * pause, 5.0)


def end(
    job_id: Any, state: str, problem: dict[str, Any] | None = None, attempt: int | None = None
) -> bool:
    """End a job that is not over; whether it was so. What it showed on the way goes. attempt: that
    of the worker who says so; a job that was taken from it, to wait or to run elsewhere, stays."""
    fields: dict[str, Any] = {"state": state, "seconds_left": None, "ended": timezone.now()}
    if problem is not None:
        fields["problem"] = storable(problem)
    if state == Job.State.DONE:
        fields |= {"share": 1.0, "doing": ""}

    def write() -> bool:
        look = Job.objects.filter(id=job_id).values_list("look", flat=True).first()
        own = Job.objects.filter(id=job_id).exclude(state__in=OVER)
        if attempt is not None:
            own = own.filter(attempts=attempt, state=Job.State.RUNNING)
        ended = own.update(**fields, look="", updated=timezone.now()) > 0
        if ended and look:
            Product.objects.filter(key=look).delete()
        return ended

    return insisting(write)


def cancel(jobs: QuerySet[Job]) -> None:
    """Ask jobs to stop; those that wait stop at once, those that are over stay as they are."""
    now = timezone.now()
    jobs.filter(state=Job.State.WAITING).update(state=Job.State.CANCELLED, ended=now, updated=now)
    jobs.filter(state=Job.State.RUNNING).update(cancel_asked=True)
    end_silent(jobs)


def beat(job_id: Any, attempt: int, **fields: Any) -> None:
    """Write that an attempt at a job is watched, and how far it is. It can be missed: no job
    depends on it."""
    now = timezone.now()
    if "doing" in fields:
        fields["doing"] = words(fields["doing"], 200)
    try:
        running = Job.objects.filter(id=job_id, attempts=attempt, state=Job.State.RUNNING)
        # by the database's clock: those of two machines may differ
        running.update(**fields, beat=Now(), updated=now)
    except DatabaseError as error:
        log.warning("progress of job %s was not written: %s", job_id, error)
        if not connection.in_atomic_block:
            connection.close()


def silent() -> Q:
    """Running jobs that nobody watches."""
    since = Now() - timedelta(seconds=SILENT_SECONDS)
    return Q(state=Job.State.RUNNING) & (
        Q(beat__lt=since) | Q(beat__isnull=True, updated__lt=since)
    )


def end_silent(jobs: QuerySet[Job]) -> int:
    """End those of some jobs that nobody works on: as cancelled where that was asked for, else as
    lost; how many there were."""
    count = 0
    for job in jobs.filter(silent()):
        cancelled = job.cancel_asked
        log.warning("job %s is worked on by nobody", job.pk)
        if cancelled:
            count += end(job.pk, Job.State.CANCELLED)
        else:
            count += end(job.pk, Job.State.FAILED, told("lost", LOST))
    return count
