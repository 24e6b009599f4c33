"""Running one job: a child process computes, this process watches it.

The child has nothing but a line to this process (`sandbox`), which gives it what it asks for and
keeps what it makes (`serving`), writes progress, notices a request to cancel within a second, and
ends a child that takes too long or too much memory.
"""

import contextlib
import logging
import time
from dataclasses import dataclass
from functools import partial
from typing import Any

from django.conf import settings
from django.db import close_old_connections, connection, transaction
from django.db.models.functions import Now
from django.utils import timezone

from intaglio.recipe.plan import costs, stages_before, states
from intaglio.recipe.proving import FLOW, proof_seconds
from intaglio.stages.registry import BY_KEY, stages_of
from intaglio_server.failing import lacks_room
from sandbox.child import order_of
from sandbox.line import Message, hear, say
from sandbox.telling import NO_ROOM, UNEXPECTED, told
from studies import children
from studies.children import Child
from studies.ending import BEAT_SECONDS, beat, end, insisting
from studies.models import Job, Product, Study, Variant
from studies.pace import machine_pace
from studies.room import keep, still_there
from studies.serving import Serving
from studies.store import DatabaseStore

log = logging.getLogger(__name__)

_LOOK = 0.25
# seconds between two looks at how much a child's folder holds
_WEIGH_SECONDS = 2.0
_TOO_LARGE = (
    "The job's files grew beyond {:.0f} GiB and it was stopped. Nothing was changed. Use larger "
    "edges."
)
_REMOVED = (
    "A result of long ago, which this needs, was removed while it ran. Nothing was changed. Run it "
    "again."
)


def run(job_id: str) -> None:
    """Run the job with this id to its end, whatever it is and whatever happens."""
    if not connection.in_atomic_block:
        close_old_connections()
    attempt = None
    try:
        job = insisting(lambda: _begun(job_id))
        if job is not None:
            attempt = job.attempts
            _run(job)
    except Exception as error:
        log.exception("job %s", job_id)
        problem = told("unexpected", UNEXPECTED.format(type(error).__name__))
        if lacks_room(error):
            problem = told("no-room", NO_ROOM)
        end(job_id, Job.State.FAILED, problem, attempt)


def _begun(job_id: str) -> Job | None:
    """The job, running now; None where there is nothing to run."""
    with transaction.atomic():
        job = Job.objects.select_for_update().filter(id=job_id).first()
        if job is None or job.over:
            return None
        if job.cancel_asked:
            end(job_id, Job.State.CANCELLED)
            return None
        job.state = Job.State.RUNNING
        job.attempts += 1
        job.started, job.beat = timezone.now(), Now()
        job.doing = "starting"
        job.save()
        return job


def _run(job: Job) -> None:
    if job.live:
        _run_warm(job)
        return
    from sandbox.child import compute

    child = children.begun(compute)
    try:
        _watch(job, child)
    finally:
        child.end()


def _order(job: Job) -> Message:
    """What the child is to do."""
    assert job.source_id is not None
    return order_of(
        str(job.id),
        file_name=job.file_name,
        source=job.source_id,
        name=job.study.name if job.study else job.file_name.rsplit(".", 1)[0],
        settings=job.settings,
        target=job.target,
    )


# a child that stays, with the models of the study whose jobs it did
_warm: list[tuple[int, Child]] = []


def _run_warm(job: Job) -> None:
    """Run a job in the child that stays. It goes with a job that is cancelled or takes too long, or
    that is of another study, and the next gets a new one; one that is refused leaves it."""
    from sandbox.child import compute_many

    of, child = _warm.pop() if _warm else (0, None)
    if child is not None and (of != job.study_id or not child.alive):
        child.end()
        child = None
    if child is None:
        child = children.begun(compute_many)
    try:
        _watch(job, child)
    except BaseException:
        child.end()
        raise
    if child.alive and job.study_id is not None:
        _warm.append((job.study_id, child))
    else:
        child.end()


def _expected(job: Job, stages: list[str]) -> dict[str, float]:
    """Seconds that the job's stages are expected to take, as far as its products tell."""
    known = stages_of(job.file_name, job.settings)
    computes = FLOW in stages
    stages = [stage for stage in stages if stage != FLOW]
    if job.source_id is None:
        return costs(stages, {}, known)
    name = job.study.name if job.study else job.file_name
    now = states(job.source_id, name, job.settings, DatabaseStore().report, stages=known)
    own = machine_pace()
    reports = {s.stage: s.report for s in now if s.report is not None}
    told = costs(stages, reports, known)
    out = {stage: seconds * own.get(stage, 1.0) for stage, seconds in told.items()}
    if computes:
        # what is up to date takes no time beside it
        out = {stage: 0.0 if stage in reports else s for stage, s in out.items()}
        out[FLOW] = proof_seconds(reports, job.settings[FLOW]["iterations"])
    return out


def stages_of_job(job: Job) -> list[str]:
    """The stages that a job runs through, and the flow at last where one is to be computed."""
    known = stages_of(job.file_name, job.settings)
    if job.target == FLOW:
        return [*stages_before("case", known), FLOW]
    return stages_before(job.target, known)


def _watch(job: Job, child: Child) -> None:
    begun = beaten = weighed = time.monotonic()
    here, attempt = child.here, job.attempts
    order = insisting(partial(_order, job))
    serving = Serving(job, child, order, partial(_look, job, attempt))
    with contextlib.suppress(OSError):
        say(here, order)
    stages = stages_of_job(job)
    seconds = insisting(lambda: _expected(job, stages))
    asked_to_stop = False
    at, share = "", 0.0
    while True:
        message: dict[str, Any] | None = None
        closed = False
        try:
            if here.poll(_LOOK):
                message = hear(here)
                while message["kind"] == "progress" and here.poll(0):
                    message = hear(here)
                answer = serving.answer(message)
                if answer is not None:
                    say(here, answer)
                    message = None
        except (EOFError, BrokenPipeError, ConnectionResetError):
            closed = True
        if message and message["kind"] == "progress":
            if message["stage"] != at:
                # what the stage before has found out tells more of the rest
                at = message["stage"]
                seconds = insisting(lambda: _expected(job, stages))
            before = sum(seconds[s] for s in stages[: stages.index(at)])
            now = (before + seconds[at] * message["share"]) / sum(seconds.values())
            # a better guess of what is left takes back nothing of what was told
            share = max(share, now)
            spent = time.monotonic() - begun
            left = spent * (1 - share) / share if share > 0.05 and spent > 1 else None
            beaten = time.monotonic()
            beat(job.id, attempt, stage=at, share=share, doing=message["doing"], seconds_left=left)
        elif message:
            if message["kind"] == "done":
                keys = insisting(partial(serving.keys, message))
                insisting(partial(_finish, job, attempt, {"keys": keys}))
            else:
                end(job.id, Job.State.FAILED, serving.problem(message), attempt)
            return
        if time.monotonic() - beaten > BEAT_SECONDS:
            beaten = time.monotonic()
            beat(job.id, attempt)
        wished = insisting(partial(_wishes, job, attempt))
        if wished.lost:
            log.warning("job %s was given to another worker meanwhile", job.id)
            child.stop()
            return
        if wished.stop and not asked_to_stop:
            asked_to_stop = True
            with contextlib.suppress(OSError):
                say(here, {"kind": "stop"})
        if wished.over:
            child.stop()
            end(job.id, Job.State.CANCELLED, attempt=attempt)
            return
        spent = time.monotonic() - begun
        reads = at in ("", "geometry") and spent > settings.READ_SECONDS
        if reads or spent > settings.JOB_SECONDS:
            child.stop()
            _fail(job, attempt, "too-long", _too_long(job, reads))
            return
        if time.monotonic() - weighed > _WEIGH_SECONDS:
            weighed = time.monotonic()
            if child.holds > settings.JOB_BYTES:
                child.stop()
                _fail(job, attempt, "too-large", _TOO_LARGE.format(settings.JOB_BYTES / 2**30))
                return
        if closed or not child.alive:
            if not closed and here.poll(0):
                continue  # its last words are still to be read
            _fail(job, attempt, *_died(job, at, child.stop()))
            return


def _died(job: Job, stage: str, code: int) -> tuple[str, str]:
    """Code and words for a child that ended without a result."""
    where = f" at {BY_KEY[stage].title}" if stage in BY_KEY else ""
    return children.died(job.file_name, where, code)


def _too_long(job: Job, reads: bool) -> str:
    if reads:
        return (
            f"Reading {job.file_name} took longer than {settings.READ_SECONDS / 60:.0f} minutes "
            "and was stopped. Nothing was changed. The file may be damaged: export it again."
        )
    return (
        f"The job ran longer than {settings.JOB_SECONDS / 60:.0f} minutes and was stopped. Use "
        "larger edges."
    )


def _fail(job: Job, attempt: int, code: str, message: str) -> None:
    end(job.id, Job.State.FAILED, told(code, message), attempt)


@dataclass(frozen=True)
class _Wished:
    """What was asked of a job: over, if it is to be left at once, or is so already; stop; lost, if
    it was taken from this worker, which did not beat for too long, and is another's."""

    over: bool
    stop: bool
    lost: bool = False


def _wishes(job: Job, attempt: int) -> _Wished:
    known = Job.objects.only("attempts", "state", "cancel_asked", "stop_asked")
    now = known.filter(id=job.id).first()
    if now is None:
        return _Wished(True, False)
    lost = now.attempts != attempt or now.state == Job.State.WAITING
    over = now.cancel_asked or now.state != Job.State.RUNNING
    return _Wished(over, now.stop_asked, lost)


def _begin_study(job: Job) -> None:
    """The study that a job's file begins; the caller saves the job."""
    assert job.source is not None
    name = job.file_name.rsplit(".", 1)[0][:120] or "study"
    job.study = Study.objects.create(
        owner=job.owner, name=name, file_name=job.file_name, source=job.source
    )
    job.variant = Variant.objects.create(study=job.study, name="first")


def _look(job: Job, attempt: int, stage: str, look: str) -> None:
    """Let there be seen what the job shows before it is done; a new study begins with it."""

    def write() -> None:
        with transaction.atomic():
            job.refresh_from_db()
            if job.attempts != attempt:
                return
            if job.variant is None:
                _begin_study(job)
            job.look, job.look_stage = look, stage
            job.looks += 1
            job.save(update_fields=["study", "variant", "look", "look_stage", "looks", "updated"])

    insisting(write)


def _finish(job: Job, attempt: int, message: dict[str, Any]) -> None:
    """Mark the job done together with what it brought: a new study, or the results shown."""
    with transaction.atomic():
        job.refresh_from_db()
        if job.over or job.attempts != attempt:
            return
        variant = job.variant and Variant.objects.select_for_update().get(id=job.variant.pk)
        before = variant.shown.get(job.target) if variant else None
        keys = set(message["keys"].values())
        if not keys <= still_there({*keys, *filter(None, [before])}):
            end(job.id, Job.State.FAILED, told("removed", _REMOVED), attempt)
            return
        if variant is None:
            _begin_study(job)
            job.save(update_fields=["study", "variant"])
            assert job.variant is not None
            variant = job.variant
        variant.shown = {**variant.shown, **message["keys"]}
        others = Variant.objects.exclude(id=variant.id).filter(**{f"shown__{job.target}": before})
        if job.live and before != variant.shown.get(job.target) and not others.exists():
            Product.objects.filter(key=before, live=True).delete()
        variant.save(update_fields=["shown"])
        study = Study.objects.select_for_update().get(id=variant.study_id)
        brought = job.source
        if job.target == "geometry" and brought is not None and brought != study.source:
            # files were added, and they can be read
            study.source, study.file_name = brought, job.file_name
        study.save()
        keep(study, message["keys"].values())
        if not job.live:
            # what was made to be looked at is now worth keeping
            made = Product.objects.filter(key__in=message["keys"].values(), live=True)
            made.update(live=False)
        end(job.id, Job.State.DONE)
    job.refresh_from_db()
