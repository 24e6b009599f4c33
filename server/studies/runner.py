"""Running one job: a child process computes, this process watches it.

The child stores each product in one transaction; this process writes progress, notices a request
to cancel within a second, and ends a child that takes too long or too much memory.
"""

import contextlib
import logging
import multiprocessing
import os
import resource
import signal
import tempfile
import threading
import time
from dataclasses import dataclass
from functools import partial
from multiprocessing.connection import Connection
from typing import Any

from django.conf import settings
from django.db import close_old_connections, transaction
from django.utils import timezone

from intaglio.cad.read import ACCEPTED as CAD_FILES
from intaglio.parts.model import Product as CoreProduct
from intaglio.parts.taking import Source
from intaglio.recipe.plan import costs, run_to, stages_before, states
from intaglio.recipe.proving import FLOW, proof_seconds, run_proof
from intaglio.stages.registry import BY_KEY, stages_of
from studies.ending import BEAT_SECONDS, beat, end, insisting, told
from studies.models import Job, Product, Study, Variant
from studies.pace import machine_pace
from studies.room import keep
from studies.store import DatabaseStore, load_bytes

log = logging.getLogger(__name__)

_LOOK = 0.25
UNEXPECTED = (
    "The computation failed unexpectedly ({}). Nothing was changed. The server's log has the "
    "details."
)


def _context() -> multiprocessing.context.ForkServerContext:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["studies.child"])
    return context


def run(job_id: str) -> None:
    """Run the job with this id to its end, whatever it is and whatever happens."""
    close_old_connections()
    try:
        job = insisting(lambda: _begun(job_id))
        if job is not None:
            _run(job)
    except Exception as error:
        log.exception("job %s", job_id)
        end(job_id, Job.State.FAILED, told("unexpected", UNEXPECTED.format(type(error).__name__)))


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
        job.started = job.beat = timezone.now()
        job.doing = "starting"
        job.save()
        return job


def _run(job: Job) -> None:
    if job.live:
        _run_warm(job)
        return
    here, there = _context().Pipe()
    from studies.child import compute

    # of a child that is stopped, large files would stay behind
    with tempfile.TemporaryDirectory(prefix="intaglio-", ignore_cleanup_errors=True) as folder:
        child = _context().Process(target=compute, args=(there, str(job.id), folder), daemon=True)
        child.start()
        there.close()
        try:
            _watch(job, child, here)
        finally:
            _end_child(child)
            here.close()


def _end_child(child: Any) -> None:
    if child.is_alive():
        child.kill()
    child.join()


@dataclass(frozen=True)
class _Warm:
    """A child that stays, with the models of the jobs it did: its end of the pipe for jobs, and one
    that is held open as long as this process lives."""

    child: Any
    here: Connection
    life: Connection


_warm: list[_Warm] = []


def _run_warm(job: Job) -> None:
    """Run a job in the child that stays. It goes with a job that is cancelled or takes too long,
    and the next gets a new one; one that is refused leaves it."""
    warm = _warm.pop() if _warm else None
    if warm is None or not warm.child.is_alive():
        warm = _warmed()
    try:
        warm.here.send(str(job.id))
    except OSError:
        # it was just about to end, having had nothing to do for long
        _end_child(warm.child)
        warm = _warmed()
        warm.here.send(str(job.id))
    try:
        _watch(job, warm.child, warm.here)
    except BaseException:
        _end_child(warm.child)
        raise
    if warm.child.is_alive():
        _warm.append(warm)
    else:
        warm.here.close()
        warm.life.close()


def _warmed() -> _Warm:
    from studies.child import compute_many

    here, there = _context().Pipe()
    life, held = _context().Pipe()
    child = _context().Process(target=compute_many, args=(there, life), daemon=True)
    child.start()
    there.close()
    life.close()
    return _Warm(child, here, held)


def _expected(job: Job, stages: list[str]) -> dict[str, float]:
    """Seconds that the job's stages are expected to take, as far as its products tell."""
    known = stages_of(job.file_name)
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
    known = stages_of(job.file_name)
    if job.target == FLOW:
        return [*stages_before("case", known), FLOW]
    return stages_before(job.target, known)


def _watch(job: Job, child: Any, here: Connection) -> None:
    begun = beaten = time.monotonic()
    stages = stages_of_job(job)
    seconds = insisting(lambda: _expected(job, stages))
    asked_to_stop = False
    at, share = "", 0.0
    while True:
        message: dict[str, Any] | None = None
        closed = False
        try:
            if here.poll(_LOOK):
                message = here.recv()
                while message["kind"] == "progress" and here.poll(0):
                    message = here.recv()
        except (EOFError, OSError):
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
            beat(job.id, stage=at, share=share, doing=message["doing"], seconds_left=left)
        elif message and message["kind"] == "look":
            insisting(partial(_look, job, message))
        elif message:
            if message["kind"] == "done":
                insisting(partial(_finish, job, message))
            else:
                end(job.id, Job.State.FAILED, message["problem"])
            return
        if time.monotonic() - beaten > BEAT_SECONDS:
            beaten = time.monotonic()
            beat(job.id)
        wished = insisting(partial(_wishes, job))
        if wished.stop and not asked_to_stop:
            asked_to_stop = True
            with contextlib.suppress(OSError):
                here.send("stop")
        if wished.over:
            child.kill()
            child.join()
            end(job.id, Job.State.CANCELLED)
            return
        spent = time.monotonic() - begun
        reads = at in ("", "geometry") and spent > settings.READ_SECONDS
        if reads or spent > settings.JOB_SECONDS:
            child.kill()
            child.join()
            _fail(job, "too-long", _too_long(job, reads))
            return
        if closed or not child.is_alive():
            if not closed and here.poll(0):
                continue  # its last words are still to be read
            child.join()
            _fail(job, *_died(job, at, child.exitcode or 0))
            return


# what ends a program that does what none may
_CRASHES = {getattr(signal, f"SIG{name}") for name in ("SEGV", "BUS", "FPE", "ILL", "ABRT", "SYS")}


def _died(job: Job, stage: str, code: int) -> tuple[str, str]:
    """Code and words for a child that ended without a result."""
    if -code in _CRASHES:
        cad = job.file_name.lower().endswith(tuple(CAD_FILES))
        where = f" at {BY_KEY[stage].title}" if stage in BY_KEY else ""
        return (
            "crashed",
            f"{'The CAD kernel' if cad else 'The computation'} crashed on {job.file_name}{where} "
            f"({signal.Signals(-code).name}); memory was not the cause. Nothing was changed. Mend "
            "the part in the CAD program or export it in another format, and try again.",
        )
    return (
        "died",
        f"The computation ended without a result (signal or exit {code}). It may have needed more "
        "memory than allowed; try larger edges.",
    )


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


def _fail(job: Job, code: str, message: str) -> None:
    end(job.id, Job.State.FAILED, told(code, message))


@dataclass(frozen=True)
class _Wished:
    """What was asked of a job: over, if it is to be left at once, or is so already; stop."""

    over: bool
    stop: bool


def _wishes(job: Job) -> _Wished:
    asked = Job.objects.filter(id=job.id).values_list("cancel_asked", "stop_asked", "state").first()
    if asked is None:
        return _Wished(True, False)
    return _Wished(asked[0] or asked[2] != Job.State.RUNNING, asked[1])


def _begin_study(job: Job) -> None:
    """The study that a job's file begins; the caller saves the job."""
    assert job.source is not None
    name = job.file_name.rsplit(".", 1)[0][:120] or "study"
    job.study = Study.objects.create(
        owner=job.owner, name=name, file_name=job.file_name, source=job.source
    )
    job.variant = Variant.objects.create(study=job.study, name="first")


def _look(job: Job, message: dict[str, Any]) -> None:
    """Let there be seen what the job shows before it is done; a new study begins with it."""
    with transaction.atomic():
        job.refresh_from_db()
        if job.variant is None:
            _begin_study(job)
        job.look, job.look_stage = message["look"], message["stage"]
        job.looks += 1
        job.save(update_fields=["study", "variant", "look", "look_stage", "looks", "updated"])


def _finish(job: Job, message: dict[str, Any]) -> None:
    """Mark the job done together with what it brought: a new study, or the results shown."""
    with transaction.atomic():
        job.refresh_from_db()
        if job.over:
            return
        if job.variant is None:
            _begin_study(job)
            job.save(update_fields=["study", "variant"])
        assert job.variant is not None
        variant = Variant.objects.select_for_update().get(id=job.variant.pk)
        before = variant.shown.get(job.target)
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
        end(job.id, Job.State.DONE)
    job.refresh_from_db()


def compute_job(
    job: Job, tell: Any, show: Any, kept: dict[str, CoreProduct], stop: threading.Event
) -> dict[str, str]:
    """Run the job's stages (in the child); keys of the products by stage. kept: models at hand;
    stop: whether a flow is to end with what there is."""
    assert job.source is not None
    key = job.source.key
    source = Source(job.file_name, insisting(lambda: load_bytes(key)))
    name = job.study.name if job.study else job.file_name.rsplit(".", 1)[0]
    store = DatabaseStore(live=job.target if job.live else None, kept=kept, patient=True)
    if job.target == FLOW:
        asked = job.settings[FLOW]
        return run_proof(
            source, name, job.settings, store, asked["iterations"], asked["before"], tell,
            show=show, stop=stop.is_set,
        )  # fmt: skip
    made = run_to(job.target, source, name, job.settings, store, tell, show=show)
    wanted = stages_before(job.target, stages_of(job.file_name))
    keys = {s.stage: s.key for s in made if s.key and s.report is not None and s.stage in wanted}
    if not job.live:
        # what was made to be looked at is now worth keeping
        Product.objects.filter(key__in=keys.values(), live=True).update(live=False)
    return keys


def limit_memory() -> None:
    resource.setrlimit(resource.RLIMIT_DATA, (settings.JOB_BYTES, settings.JOB_BYTES))


def die_with(parent: Connection, stop: threading.Event) -> None:
    """End this process when the other end of the pipe is gone; set `stop` when anything comes."""

    def look() -> None:
        while True:
            try:
                parent.poll(None)
                parent.recv()
                stop.set()
            except (EOFError, OSError):
                os._exit(1)

    threading.Thread(target=look, daemon=True).start()
